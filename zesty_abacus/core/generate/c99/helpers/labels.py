"""Names of labels, each behind its length (RFC 1035)."""

from __future__ import annotations

LABELS: dict[str, str] = {
    "put_letter": """
/* Puts a letter behind a text; what there is no room for is only counted. */
static void put_letter(uint8_t *to, size_t most, size_t *made, uint8_t letter)
{
    if (*made < most)
        to[*made] = letter;
    (*made)++;
}
""",
    "labels_in": """
/* A name of labels, each behind its length, that may go on where a pointer says (RFC 1035, 4.1.4). A separator or
   backslash in a label gets a backslash in front. */
static int labels_in(const uint8_t *frame, size_t origin, size_t limit, size_t *at, uint8_t separator,
                     bool has_pointers, uint8_t *to, size_t most, size_t *size, uint8_t *known)
{
    size_t place = *at, before = *at, after = SIZE_MAX, made = 0U, letter;
    for (;;) {
        size_t length;
        if (place >= limit)
            return @_TOO_SHORT;
        length = frame[place];
        if (has_pointers && length >= 0xC0U) {
            size_t target;
            if (limit - place < 2U)
                return @_TOO_SHORT;
            after = after == SIZE_MAX ? place + 2U : after;
            target = origin + ((length & 0x3FU) << 8 | frame[place + 1U]);
            if (target >= before)
                break;
            place = before = target;
            continue;
        }
        if (has_pointers && length >= 0x40U)
            break;
        if (length == 0U) {
            *at = after == SIZE_MAX ? place + 1U : after;
            *size = lesser(made, most);
            *known = 1U;
            return made > most ? @_TOO_LONG : @_OK;
        }
        if (limit - place - 1U < length)
            return @_TOO_SHORT;
        if (made > 0U)
            put_letter(to, most, &made, separator);
        for (letter = place + 1U; letter < place + 1U + length; letter++) {
            if (frame[letter] == separator || frame[letter] == 0x5CU)
                put_letter(to, most, &made, 0x5CU);
            put_letter(to, most, &made, frame[letter]);
        }
        place += 1U + length;
    }
    /* against the rules: no name, and nothing behind it can be found but by a pointer that was read */
    *at = after == SIZE_MAX ? limit : after;
    *size = lesser(made, most);
    *known = 0U;
    return made > most ? @_TOO_LONG : @_OK;
}
""",
    "labels_to": """
/* Writes a name as labels. */
static int labels_to(uint8_t *frame, size_t room, size_t *at, const uint8_t *text, size_t size, uint8_t separator,
                     size_t longest)
{
    static const uint8_t end[1] = {0U};
    size_t place = 0U;
    while (place < size) {
        uint8_t label[255];
        uint8_t count = 0U;
        for (; place < size && text[place] != separator; place++) {
            if (text[place] == 0x5CU && place + 1U < size)
                place++;
            if (count == longest)
                return @_DOES_NOT_FIT;
            label[count++] = text[place];
        }
        if (count == 0U)
            return @_DOES_NOT_FIT;
        if (!put_bytes(frame, room, at, &count, 1U) || !put_bytes(frame, room, at, label, count))
            return @_TOO_SHORT;
        place++;
    }
    return put_bytes(frame, room, at, end, 1U) ? @_OK : @_TOO_SHORT;
}
""",
}
