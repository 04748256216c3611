"""Numbers in characters: decimals, digits of a base, words; read, written, and as values."""

from __future__ import annotations

DIGITS: dict[str, str] = {
    "digits_in": """
/* What digits say: a number without sign and point, how many digits, the power of ten behind it. */
struct digits {
    uint64_t number;
    unsigned count;
    int32_t tens;
    bool is_negative, is_number, is_long;
};

/* Digits of a base, with a sign, and a prefix as 0x; in base 10 with a point and an exponent. */
static struct digits digits_in(const uint8_t *text, size_t size, unsigned base)
{
    struct digits found = {0U, 0U, 0, false, false, false};
    const unsigned letter = base == 16U ? 0x78U : base == 8U ? 0x6FU : base == 2U ? 0x62U : 0U;
    int32_t behind = -1, power = 0;
    size_t place = 0U;
    if (size == 0U)
        return found;
    found.is_negative = text[0] == 0x2DU;
    if (found.is_negative || text[0] == 0x2BU)
        place++;
    if (letter != 0U && size - place > 2U && text[place] == 0x30U && (text[place + 1U] | 0x20U) == letter)
        place += 2U;
    for (; place < size; place++) {
        const unsigned code = text[place], lower = code | 0x20U;
        const unsigned digit = code >= 0x30U && code <= 0x39U ? code - 0x30U
            : lower >= 0x61U && lower <= 0x7AU ? lower - 0x57U : 99U;
        if (code == 0x2EU && base == 10U && behind < 0) {
            behind = 0;
            continue;
        }
        if (digit >= base)
            break;
        found.count++;
        /* what 64 bits have no room for only moves the point, and is said to be long */
        if (found.number > (UINT64_MAX - digit) / base) {
            found.is_long = true;
            power++;
        } else {
            found.number = found.number * base + digit;
        }
        if (behind >= 0)
            behind++;
    }
    if (base == 10U && place < size && (text[place] | 0x20U) == 0x65U) {
        size_t at = place + 1U;
        int32_t exponent = 0;
        const bool is_below = at < size && text[at] == 0x2DU;
        if (at < size && (text[at] == 0x2DU || text[at] == 0x2BU))
            at++;
        if (at < size) {
            for (; at < size && text[at] >= 0x30U && text[at] <= 0x39U; at++)
                exponent = exponent > 999 ? 9999 : exponent * 10 + (int32_t)(text[at] - 0x30U);
            power += is_below ? -exponent : exponent;
            place = at;
        }
    }
    found.is_number = place == size && found.count > 0U;
    found.tens = power - (behind > 0 ? behind : 0);
    return found;
}
""",
    "decimal_in": """
/* A number in decimals: its digits, and the power of ten to be multiplied with. What is beyond 63 bits moves it. */
static uint8_t decimal_in(const uint8_t *text, size_t size, int64_t *raw, int16_t *tens)
{
    struct digits found = digits_in(text, size, 10U);
    *raw = 0;
    *tens = 0;
    if (!found.is_number)
        return 0U;
    while (found.number > (uint64_t)INT64_MAX) {
        found.number /= 10U;
        found.tens++;
    }
    *raw = found.is_negative ? -(int64_t)found.number : (int64_t)found.number;
    *tens = (int16_t)found.tens;
    return 1U;
}
""",
    "unsigned_in": """
/* A number without a sign in digits of a base. */
static uint8_t unsigned_in(const uint8_t *text, size_t size, unsigned base, uint64_t *raw)
{
    const struct digits found = digits_in(text, size, base);
    const bool is_one = found.is_number && !found.is_long && !found.is_negative;
    *raw = is_one ? found.number : 0U;
    return is_one ? 1U : 0U;
}
""",
    "signed_in": """
/* A number with a sign, or in two's complement of so many digits; of as many as there are where it says none. */
static uint8_t signed_in(const uint8_t *text, size_t size, unsigned base, unsigned digits, int64_t *raw)
{
    const struct digits found = digits_in(text, size, base);
    const unsigned each = base == 16U ? 4U : base == 8U ? 3U : 1U;
    unsigned width = (digits != 0U ? digits : found.count) * each;
    *raw = 0;
    if (!found.is_number || found.is_long)
        return 0U;
    width = width > 64U ? 64U : width;
    if (!found.is_negative && ((found.number >> (width - 1U)) & 1U) != 0U) {
        const uint64_t above = width < 64U ? UINT64_MAX << width : 0U;
        /* below zero: what is missing to the next power of two */
        *raw = -(int64_t)(~(found.number | above)) - 1;
        return 1U;
    }
    if (found.number > (uint64_t)INT64_MAX)
        return 0U;
    *raw = found.is_negative ? -(int64_t)found.number : (int64_t)found.number;
    return 1U;
}
""",
    "word_in": """
/* Digits, or a word of up to eight characters as the number that their codes are, the first one highest. */
static uint8_t word_in(const uint8_t *text, size_t size, unsigned base, int64_t *raw)
{
    const struct digits found = digits_in(text, size, base);
    uint64_t codes = 0U;
    size_t place;
    *raw = 0;
    if (found.is_number && !found.is_long && found.tens == 0 && found.number <= (uint64_t)INT64_MAX) {
        *raw = found.is_negative ? -(int64_t)found.number : (int64_t)found.number;
        return 1U;
    }
    if (size < 1U || size > 8U)
        return 0U;
    for (place = 0U; place < size; place++)
        codes = codes << 8 | text[place];
    if (codes > (uint64_t)INT64_MAX)
        return 0U;
    *raw = (int64_t)codes;
    return 1U;
}
""",
    "decimal_value": """
/* The double nearest to (raw * 10**tens * times + plus) / over as long as 63 bits hold the factors; else near to it. */
static double decimal_value(int64_t raw, int tens, bool is_negative, uint64_t times, int64_t plus, uint64_t over)
{
    const uint64_t most = (uint64_t)INT64_MAX;
    const uint64_t size = raw < 0 ? 0U - (uint64_t)raw : (uint64_t)raw;
    uint64_t added = plus < 0 ? 0U - (uint64_t)plus : (uint64_t)plus, up = times, below = over;
    int left = tens;
    for (; left > 0 && up <= most / 10U; left--)
        up *= 10U;
    for (; left < 0 && below <= most / 10U && added <= most / 10U; left++) {
        below *= 10U;
        added *= 10U;
    }
    if (left == 0)
        return nearest_ratio(size, raw != 0 && (raw < 0) != is_negative, up, plus < 0 ? -(int64_t)added
            : (int64_t)added, below);
    {
        const double whole = (double)raw * pow(10.0, (double)tens) * (double)times;
        return ((is_negative ? -whole : whole) + (double)plus) / (double)over;
    }
}
""",
    "decimal_of": """
/* A number as digits and a power of ten, with as few decimals as say it, nine at most; false beyond 63 bits. */
static bool decimal_of(double number, int64_t *raw, int16_t *tens)
{
    double scaled = number;
    int decimals = 0;
    if (!(fabs(number) < 9.0e15))
        return false;
    while (decimals < 9 && fabs(scaled) < 9.0e14 && fabs(scaled - rint(scaled)) > 1e-15 * fabs(scaled)) {
        decimals++;
        scaled = number * pow(10.0, (double)decimals);
    }
    *raw = (int64_t)rint(scaled);
    *tens = (int16_t)-decimals;
    return true;
}
""",
    "digits_to": """
/* Writes a sign and digits of a base, with zeros in front up to so many digits, and returns how many characters. */
static size_t digits_to(uint8_t *to, uint64_t number, bool is_negative, unsigned base, unsigned digits)
{
    uint8_t turned[64];
    size_t count = 0U, made = 0U;
    do {
        const unsigned digit = (unsigned)(number % base);
        turned[count++] = (uint8_t)(digit < 10U ? 0x30U + digit : 0x37U + digit);
        number /= base;
    } while (number > 0U);
    if (is_negative)
        to[made++] = 0x2DU;
    while (digits > count) {
        to[made++] = 0x30U;
        digits--;
    }
    while (count > 0U)
        to[made++] = turned[--count];
    return made;
}
""",
    "decimal_to": """
/* Writes a number in decimals; 0 where it has more than 18 zeros behind it or 40 decimals. */
static size_t decimal_to(uint8_t *to, int64_t raw, int tens, unsigned digits)
{
    const uint64_t size = raw < 0 ? 0U - (uint64_t)raw : (uint64_t)raw;
    const unsigned decimals = tens < 0 ? (unsigned)-tens : 0U;
    size_t made, place;
    if (tens > 18 || tens < -40)
        return 0U;
    made = digits_to(to, size, raw < 0, 10U, decimals > 0U ? decimals + 1U
        : digits > (unsigned)tens ? digits - (unsigned)tens : 0U);
    for (; tens > 0 && raw != 0; tens--)
        to[made++] = 0x30U;
    if (decimals > 0U) {
        for (place = made; place > made - decimals; place--)
            to[place] = to[place - 1U];
        to[made - decimals] = 0x2EU;
        made++;
    }
    return made;
}
""",
    "signed_to": """
/* Writes a number in two's complement of so many digits; with a sign where it says none. 0 where it does not fit. */
static size_t signed_to(uint8_t *to, int64_t raw, unsigned base, unsigned digits)
{
    const unsigned each = base == 16U ? 4U : base == 8U ? 3U : 1U, width = digits * each;
    const uint64_t size = raw < 0 ? 0U - (uint64_t)raw : (uint64_t)raw;
    unsigned bits = 0U;
    if (digits != 0U) {
        const uint64_t mask = width < 64U ? ~(UINT64_MAX << width) : UINT64_MAX;
        const int64_t half = width < 64U ? (int64_t)1 << (width - 1U) : INT64_MAX;
        if (width < 64U && (raw >= half || raw < -half))
            return 0U;
        return digits_to(to, (uint64_t)raw & mask, false, base, digits);
    }
    while (bits < 64U && size >> bits != 0U)
        bits++;
    /* a highest digit that holds the sign would be read as one */
    if (raw >= 0 && (bits + each - 1U) % each == each - 1U) {
        to[0] = 0x30U;
        return 1U + digits_to(to + 1, size, false, base, 0U);
    }
    return digits_to(to, size, raw < 0, base, 0U);
}
""",
    "word_to": """
/* Writes a number as the word that its bytes are the characters of, or in digits. */
static size_t word_to(uint8_t *to, int64_t raw, unsigned base, unsigned digits)
{
    const uint64_t size = raw < 0 ? 0U - (uint64_t)raw : (uint64_t)raw;
    bool is_word = base == 10U && raw >= 32, are_digits = true;
    size_t count = 0U, place;
    while (count < 8U && size >> (8U * count) != 0U)
        count++;
    for (place = 0U; is_word && place < count; place++) {
        const uint8_t code = (uint8_t)(size >> (8U * (count - 1U - place)));
        is_word = code > 0x20U && code < 0x7FU && code != 0x22U && code != 0x2CU && code != 0x3BU && code != 0x7CU;
        are_digits = are_digits && code >= 0x30U && code <= 0x39U;
        to[place] = code;
    }
    if (is_word && !are_digits)
        return count;
    return digits_to(to, size, raw < 0, base, digits);
}
""",
}
