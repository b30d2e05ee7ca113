/* Numbers of JSON. */
#include "pure.h"

#define EXACT_DIGITS 15 /* so many decimal digits make a whole number that a double holds */

static const double powers[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10, 1e11,
                                1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};

static int
is_digit(unsigned char sign)
{
    return sign >= '0' && sign <= '9';
}

Number
number_at(Bytes at, Bytes end)
{
    Number made = {0};
    int below = 0;
    if (at < end && *at == '-') {
        below = 1;
        at++;
    }
    if (at >= end || !is_digit(*at))
        return made;
    uint64_t mantissa = 0;
    int counted = 0; /* digits in the mantissa, zeros before them left out */
    int shift = 0;
    Bytes first = at;
    if (*at == '0') {
        at++;
    } else {
        while (at < end && is_digit(*at)) {
            if (counted < 18)
                mantissa = mantissa * 10 + (uint64_t)(*at - '0');
            counted++;
            at++;
        }
    }
    made.digits = at - first;
    made.whole = 1;
    if (counted <= 18) {
        made.fits = 1;
        made.integer = below ? -(int64_t)mantissa : (int64_t)mantissa;
    }
    if (at < end && *at == '.') {
        made.whole = 0;
        at++;
        if (at >= end || !is_digit(*at)) {
            made.end = NULL;
            return made;
        }
        while (at < end && is_digit(*at)) {
            if (counted < 18)
                mantissa = mantissa * 10 + (uint64_t)(*at - '0');
            if (counted || *at != '0')
                counted++;
            if (shift > -100000)
                shift--;
            at++;
        }
    }
    if (at < end && (*at == 'e' || *at == 'E')) {
        made.whole = 0;
        at++;
        int down = 0;
        if (at < end && (*at == '+' || *at == '-')) {
            down = *at == '-';
            at++;
        }
        if (at >= end || !is_digit(*at)) {
            made.end = NULL;
            return made;
        }
        int exponent = 0;
        while (at < end && is_digit(*at)) {
            if (exponent < 100000)
                exponent = exponent * 10 + (*at - '0');
            at++;
        }
        shift += down ? -exponent : exponent;
    }
    made.end = at;
    if (!made.whole && counted <= EXACT_DIGITS && shift >= -22 && shift <= 22) {
        /* Both are exact doubles, so that one operation rounds right. */
        double number = (double)mantissa;
        number = shift < 0 ? number / powers[-shift] : number * powers[shift];
        made.exact = 1;
        made.number = below ? -number : number;
    }
    return made;
}

int
few_digits(double number, char out[32])
{
    double size = number < 0 ? -number : number;
    if (!(size >= 1e-4 && size < 1e15)) {
        int below = number == 0.0 && 1.0 / number < 0;
        if (number != 0.0)
            return 0;
        char *zero = below ? "-0.0" : "0.0";
        int count = 0;
        for (; zero[count]; count++)
            out[count] = zero[count];
        return count;
    }
    for (int places = 0; places <= 6; places++) {
        double scaled = size * powers[places];
        if (scaled >= 1e15)
            return 0;
        uint64_t whole = (uint64_t)scaled;
        /* Of at most 15 digits there is one way only to say a double. */
        if ((double)whole != scaled || (double)whole / powers[places] != size)
            continue;
        char digits[24], *at = digits + sizeof(digits);
        int left = places ? places : 1;
        if (!places)
            whole *= 10;
        for (; left > 1 && whole % 10 == 0; left--) /* a product that was rounded hid that fewer do */
            whole /= 10;
        for (; left; left--, whole /= 10)
            *--at = (char)('0' + whole % 10);
        *--at = '.';
        do
            *--at = (char)('0' + whole % 10);
        while (whole /= 10);
        if (number < 0)
            *--at = '-';
        int count = (int)(digits + sizeof(digits) - at);
        for (int each = 0; each < count; each++)
            out[each] = at[each];
        return count;
    }
    return 0;
}
