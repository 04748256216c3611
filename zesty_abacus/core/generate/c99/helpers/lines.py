"""Lines of text: where columns begin and end, and what stands in them."""

from __future__ import annotations

LINES: dict[str, str] = {
    "next_column": """
/* A line of text that is taken apart at its separators. */
struct columns {
    const uint8_t *text;
    size_t at, last;
    uint8_t separator, quote;
    bool merges, is_done;
};

/* Finds where the next column begins and ends, blanks and quotes around it left out; false behind the last one. */
static bool next_column(struct columns *line, size_t *begin, size_t *end)
{
    bool is_quoted = false;
    size_t first = line->at, last;
    if (line->is_done)
        return false;
    while (line->merges && first < line->last && line->text[first] == line->separator)
        first++;
    if (line->merges && first == line->last) {
        line->is_done = true;
        line->at = first;
        return false;
    }
    for (last = first; last < line->last; last++) {
        if (line->quote != 0U && line->text[last] == line->quote)
            is_quoted = !is_quoted;
        else if (line->text[last] == line->separator && !is_quoted)
            break;
    }
    line->is_done = last == line->last;
    line->at = line->is_done ? last : last + 1U;
    while (first < last && line->text[first] == 0x20U)
        first++;
    while (last > first && line->text[last - 1U] == 0x20U)
        last--;
    if (line->quote != 0U && last - first >= 2U && line->text[first] == line->quote
        && line->text[last - 1U] == line->quote) {
        first++;
        last--;
    }
    *begin = first;
    *end = last;
    return true;
}
""",
    "text_of": """
/* Copies a text, a quote that is written twice once; SIZE_MAX if it is longer than there is room. */
static size_t text_of(uint8_t *to, size_t most, const uint8_t *from, size_t size, uint8_t quote)
{
    size_t place, made = 0U;
    bool was_quote = false;
    for (place = 0U; place < size; place++) {
        if (quote != 0U && from[place] == quote) {
            was_quote = !was_quote;
            if (!was_quote)
                continue;
        }
        if (made == most)
            return SIZE_MAX;
        to[made++] = from[place];
    }
    return made;
}
""",
    "put_column": """
/* Writes a column, in quotes where it holds what would end it. */
static int put_column(uint8_t *frame, size_t room, size_t *at, const uint8_t *text, size_t size, uint8_t separator,
                      uint8_t quote, const uint8_t *ends, size_t ends_size)
{
    bool is_plain = true;
    size_t place;
    if (ends_size > 0U && find_mark(text, 0U, size, ends, ends_size) != SIZE_MAX)
        return @_DOES_NOT_FIT;
    for (place = 0U; place < size; place++)
        is_plain = is_plain && text[place] != separator && (quote == 0U || text[place] != quote);
    if (is_plain)
        return put_bytes(frame, room, at, text, size) ? @_OK : @_TOO_SHORT;
    if (quote == 0U)
        return @_DOES_NOT_FIT;
    if (!put_bytes(frame, room, at, &quote, 1U))
        return @_TOO_SHORT;
    for (place = 0U; place < size; place++) {
        if (text[place] == quote && !put_bytes(frame, room, at, &quote, 1U))
            return @_TOO_SHORT;
        if (!put_bytes(frame, room, at, text + place, 1U))
            return @_TOO_SHORT;
    }
    return put_bytes(frame, room, at, &quote, 1U) ? @_OK : @_TOO_SHORT;
}
""",
}
