"""Numbers as bits hold them, and the operations of expressions."""

from __future__ import annotations

ARITHMETIC: dict[str, str] = {
    "number_of_digits": """
/* Decimal digits of four bits each to a number; all bits set if one is above nine. */
static uint64_t number_of_digits(uint64_t bits, unsigned count)
{
    uint64_t number = 0U;
    while (count > 0U) {
        const uint64_t digit = (bits >> (4U * --count)) & 0xFU;
        if (digit > 9U)
            return UINT64_MAX;
        number = number * 10U + digit;
    }
    return number;
}
""",
    "number_of_digit_bytes": """
/* Decimal digits of a byte each, plain or in ASCII, to a number; all bits set if one is none. */
static uint64_t number_of_digit_bytes(uint64_t bits, unsigned count)
{
    uint64_t number = 0U;
    while (count > 0U) {
        const uint64_t octet = (bits >> (8U * --count)) & 0xFFU;
        if ((octet & 0xFU) > 9U || ((octet >> 4) != 0U && (octet >> 4) != 3U))
            return UINT64_MAX;
        number = number * 10U + (octet & 0xFU);
    }
    return number;
}
""",
    "digits_of_number": """
/* A number as so many decimal digits, each in so many bits. */
static uint64_t digits_of_number(uint64_t number, unsigned count, unsigned width)
{
    uint64_t bits = 0U;
    unsigned place;
    for (place = 0U; place < count; place++) {
        bits |= (number % 10U) << (width * place);
        number /= 10U;
    }
    return bits;
}
""",
    "number_of_gray": """
/* Reflected binary code to a number. */
static uint64_t number_of_gray(uint64_t bits)
{
    unsigned shift;
    for (shift = 1U; shift < 64U; shift *= 2U)
        bits ^= bits >> shift;
    return bits;
}
""",
    "half_float": """
/* IEEE 754 binary16 to double, which holds each of its numbers. */
static double half_float(uint64_t bits)
{
    const int exponent = (int)((bits >> 10) & 0x1FU);
    const double fraction = (double)(bits & 0x3FFU);
    double number;
    if (exponent == 31)
        number = fraction == 0.0 ? HUGE_VAL : (double)NAN;
    else if (exponent == 0)
        number = ldexp(fraction, -24);
    else
        number = ldexp(fraction + 1024.0, exponent - 25);
    return (bits & 0x8000U) != 0U ? -number : number;
}
""",
    "single_float": """
/* IEEE 754 binary32 to double. */
static double single_float(uint64_t bits)
{
    const uint32_t pattern = (uint32_t)bits;
    float number;
    memcpy(&number, &pattern, sizeof number);
    return (double)number;
}
""",
    "double_float": """
/* IEEE 754 binary64. */
static double double_float(uint64_t bits)
{
    double number;
    memcpy(&number, &bits, sizeof number);
    return number;
}
""",
    "half_bits": """
/* The binary16 that is nearest to a number, halfway to the even one. */
static uint64_t half_bits(double number)
{
    const uint64_t sign = signbit(number) ? 0x8000U : 0U;
    const double size = fabs(number);
    int exponent;
    if (size >= 65520.0)
        return sign | 0x7C00U;
    (void)frexp(size, &exponent);
    if (size < 6.103515625e-05)
        return sign | (uint64_t)rint(ldexp(size, 24));
    /* a carry out of the fraction goes into the exponent by itself */
    return sign | ((uint64_t)(exponent + 13) * 1024U + (uint64_t)rint(ldexp(size, 11 - exponent)));
}
""",
    "single_bits": """
/* The binary32 that is nearest to a number. */
static uint64_t single_bits(double number)
{
    const float single = (float)number;
    uint32_t pattern;
    memcpy(&pattern, &single, sizeof pattern);
    return (uint64_t)pattern;
}
""",
    "double_bits": """
/* The binary64 of a number. */
static uint64_t double_bits(double number)
{
    uint64_t pattern;
    memcpy(&pattern, &number, sizeof pattern);
    return pattern;
}
""",
    "nearest_ratio": """
/* The double that is nearest to (raw * times + plus) / over, halfway to the even one: sums of 128 bits, divided bit by
   bit. raw and times are sizes; is_negative says the sign of their product. over is below 2**63. */
static double nearest_ratio(uint64_t raw, bool is_negative, uint64_t times, int64_t plus, uint64_t over)
{
    const uint64_t low_raw = raw & 0xFFFFFFFFU, high_raw = raw >> 32;
    const uint64_t low_times = times & 0xFFFFFFFFU, high_times = times >> 32;
    const uint64_t middle = high_raw * low_times + ((low_raw * low_times) >> 32);
    const uint64_t other = low_raw * high_times + (middle & 0xFFFFFFFFU);
    uint64_t high = high_raw * high_times + (middle >> 32) + (other >> 32);
    uint64_t low = raw * times;
    const uint64_t size = plus < 0 ? 0U - (uint64_t)plus : (uint64_t)plus;
    uint64_t rest = 0U, quotient = 0U;
    bool sticky = false;
    int place, exponent = 0;
    if (is_negative == (plus < 0)) {
        low += size;
        high += low < size ? 1U : 0U;
    } else if (high > 0U || low >= size) {
        high -= low < size ? 1U : 0U;
        low -= size;
    } else {
        low = size - low;
        is_negative = !is_negative;
    }
    for (place = 127; place >= 0; place--) {
        bool bit;
        rest = (rest << 1) | ((place >= 64 ? high >> (place - 64) : low >> place) & 1U);
        bit = rest >= over;
        rest -= bit ? over : 0U;
        if (quotient >> 54 == 0U) {
            quotient = (quotient << 1) | (bit ? 1U : 0U);
        } else {
            /* what lies below the digits of a double only says which way to round */
            sticky = sticky || bit;
            exponent++;
        }
    }
    if (quotient == 0U && rest == 0U)
        return 0.0;
    while (quotient >> 54 == 0U) {
        rest <<= 1;
        quotient <<= 1;
        exponent--;
        if (rest >= over) {
            rest -= over;
            quotient |= 1U;
        }
    }
    sticky = sticky || rest != 0U;
    while (quotient >> 54 != 0U) {
        sticky = sticky || (quotient & 1U) != 0U;
        quotient >>= 1;
        exponent++;
    }
    if ((quotient & 1U) != 0U && (sticky || (quotient & 2U) != 0U))
        quotient += 2U;
    {
        const double number = ldexp((double)(quotient >> 1), exponent + 1);
        return is_negative ? -number : number;
    }
}
""",
    "along_table": """
/* Straight lines between corners, held at the ends. */
static double along_table(double x, const double *xs, const double *ys, size_t count)
{
    size_t place = 0U;
    if (isnan(x))
        return x;
    if (x < xs[0])
        return ys[0];
    while (place + 1U < count && x >= xs[place + 1U])
        place++;
    if (place + 1U == count || x <= xs[place])
        return ys[place];
    return (ys[place + 1U] - ys[place]) / (xs[place + 1U] - xs[place]) * (x - xs[place]) + ys[place];
}
""",
    "turned_round": """
/* A number of so many bits with the last one first. */
static uint64_t turned_round(uint64_t number, unsigned width)
{
    uint64_t turned = 0U;
    while (width-- > 0U) {
        turned = (turned << 1) | (number & 1U);
        number >>= 1;
    }
    return turned;
}
""",
    "whole_of": """
/* A number cut towards zero; another one where it is none, or beyond 63 bits. */
static int64_t whole_of(double number, bool known, int64_t otherwise)
{
    return known && fabs(number) < 9223372036854775808.0 ? (int64_t)number : otherwise;
}
""",
    "is_whole": """
/* Whether a number has no fraction and fits 64 bits with a sign. */
static bool is_whole(double number)
{
    return fabs(number) < 9223372036854775808.0 && number == rint(number);
}
""",
    "signed_quotient": """
/* Division that rounds down; the only quotient that runs over goes round. */
static int64_t signed_quotient(int64_t top, int64_t below)
{
    int64_t quotient;
    if (below == -1)
        return top == INT64_MIN ? top : -top;
    quotient = top / below;
    return quotient - (top % below != 0 && (top < 0) != (below < 0) ? 1 : 0);
}
""",
    "signed_remainder": """
/* The rest of a division that rounds down; it has the sign of what is divided by. */
static int64_t signed_remainder(int64_t top, int64_t below)
{
    int64_t rest;
    if (below == -1)
        return 0;
    rest = top % below;
    return rest + (rest != 0 && (rest < 0) != (below < 0) ? below : 0);
}
""",
    "float_remainder": """
/* The rest of a division that rounds down, of doubles. */
static double float_remainder(double top, double below)
{
    const double rest = fmod(top, below);
    if (rest == 0.0)
        return copysign(0.0, below);
    return (below < 0.0) != (rest < 0.0) ? rest + below : rest;
}
""",
    "float_quotient": """
/* Division that rounds down, of doubles. */
static double float_quotient(double top, double below)
{
    double rest, quotient, whole;
    if (below == 0.0)
        return top / below;
    rest = fmod(top, below);
    quotient = (top - rest) / below;
    if (rest != 0.0 && (below < 0.0) != (rest < 0.0))
        quotient -= 1.0;
    if (quotient == 0.0)
        return copysign(0.0, top / below);
    whole = floor(quotient);
    return quotient - whole > 0.5 ? whole + 1.0 : whole;
}
""",
    "compared": """
/* Below zero, zero or above: a signed number beside an unsigned one. */
static int compared(int64_t first, uint64_t second)
{
    if (first < 0 || (uint64_t)first < second)
        return -1;
    return (uint64_t)first > second ? 1 : 0;
}
""",
    "signed_right": """
/* A shift to the right that keeps the sign. */
static int64_t signed_right(int64_t number, int64_t by)
{
    return number < 0 ? -1 - (int64_t)((uint64_t)(-1 - number) >> by) : (int64_t)((uint64_t)number >> by);
}
""",
    "as_signed": """
/* The number that 64 bits are in two's complement. */
static int64_t as_signed(uint64_t bits)
{
    return bits >> 63 != 0U ? -(int64_t)(UINT64_MAX - bits) - 1 : (int64_t)bits;
}
""",
    "power": """
/* A power; none where the exponent is above 64. */
static double power(double base, double exponent)
{
    return fabs(exponent) <= 64.0 ? pow(base, exponent) : (double)NAN;
}
""",
}
