"""What moves: amounts, marks, bytes behind one another, bits without gaps."""

from __future__ import annotations

MOVING: dict[str, str] = {
    "amount_of": """
/* A number as a count of items or bytes: none below zero, and no more than any payload has. */
static size_t amount_of(int64_t number)
{
    const int64_t most = INT64_C(0xFFFFFF);
    return number < 0 ? 0U : (size_t)(number > most ? most : number);
}
""",
    "lesser": """
static size_t lesser(size_t first, size_t second)
{
    return first < second ? first : second;
}
""",
    "find_mark": """
/* Where some bytes first stand between two places; SIZE_MAX if nowhere. */
static size_t find_mark(const uint8_t *frame, size_t from, size_t end, const uint8_t *mark, size_t size)
{
    size_t place;
    for (place = from; place < end && end - place >= size; place++)
        if (memcmp(frame + place, mark, size) == 0)
            return place;
    return SIZE_MAX;
}
""",
    "put_bytes": """
/* Writes bytes behind what stands there; false if there is no room. */
static bool put_bytes(uint8_t *frame, size_t room, size_t *at, const uint8_t *from, size_t size)
{
    if (*at > room || room - *at < size)
        return false;
    if (size > 0U)
        memcpy(frame + *at, from, size);
    *at += size;
    return true;
}
""",
    "bits_in": """
/* Bits that follow one another as a number, its highest byte first. */
static void bits_in(uint8_t *to, const uint8_t *from, size_t first, unsigned width, bool is_low_first)
{
    const unsigned size = (width + 7U) / 8U;
    unsigned bit;
    memset(to, 0, size);
    for (bit = 0U; bit < width; bit++) {
        const size_t place = first + (is_low_first ? bit : width - 1U - bit);
        const unsigned shift = (unsigned)(is_low_first ? place % 8U : 7U - place % 8U);
        const unsigned is_set = ((unsigned)from[place / 8U] >> shift) & 1U;
        to[size - 1U - bit / 8U] = (uint8_t)(to[size - 1U - bit / 8U] | is_set << (bit % 8U));
    }
}
""",
    "bits_to": """
/* Writes such a number into bits that are zero. */
static void bits_to(uint8_t *to, const uint8_t *from, size_t first, unsigned width, bool is_low_first)
{
    const unsigned size = (width + 7U) / 8U;
    unsigned bit;
    for (bit = 0U; bit < width; bit++) {
        const size_t place = first + (is_low_first ? bit : width - 1U - bit);
        const unsigned shift = (unsigned)(is_low_first ? place % 8U : 7U - place % 8U);
        const unsigned is_set = ((unsigned)from[size - 1U - bit / 8U] >> (bit % 8U)) & 1U;
        to[place / 8U] = (uint8_t)(to[place / 8U] | is_set << shift);
    }
}
""",
}
