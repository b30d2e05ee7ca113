/* Strings of JSON. */
#include <string.h>

#include "pure.h"

#if defined(__GNUC__) && defined(__BYTE_ORDER__) && __BYTE_ORDER__ == __ORDER_LITTLE_ENDIAN__
#define LITTLE_ENDIAN_HERE 1
#else
#define LITTLE_ENDIAN_HERE 0
#endif
#define EACH(byte) (0x0101010101010101ULL * (byte))
/* Whether some byte of eight is below a small number, or is a sign. */
#define BELOW(eight, least) (((eight) - EACH(least)) & ~(eight) & EACH(0x80))
#define HAS(eight, sign) BELOW((eight) ^ EACH(sign), 1)

Bytes
past_blanks(Bytes at, Bytes end)
{
    while (at < end && (*at == ' ' || *at == '\n' || *at == '\r' || *at == '\t'))
        at++;
    return at;
}

Bytes
string_end(Bytes at, Bytes end, int *flags)
{
    int seen = 0;
    for (;;) {
        while (end - at >= 8) {
            uint64_t eight, found;
            memcpy(&eight, at, 8);
            found = HAS(eight, '"') | HAS(eight, '\\') | BELOW(eight, 0x20);
#if LITTLE_ENDIAN_HERE
            if (found) {
                /* The first one is sure; what stands before it is passed. */
                int before = __builtin_ctzll(found) & ~7;
                if (eight & EACH(0x80) & ((1ULL << before) - 1))
                    seen |= BEYOND_ASCII;
                at += before >> 3;
                break;
            }
#else
            if (found)
                break;
#endif
            if (eight & EACH(0x80))
                seen |= BEYOND_ASCII;
            at += 8;
        }
        if (at >= end)
            return NULL;
        unsigned char sign = *at;
        if (sign == '"') {
            *flags = seen;
            return at;
        }
        if (sign < 0x20)
            return NULL;
        if (sign == '\\') {
            if (end - at < 2)
                return NULL;
            seen |= ESCAPED;
            at++;
            if (*at < 0x20 || *at >= 0x80)
                return NULL;
        } else if (sign >= 0x80) {
            seen |= BEYOND_ASCII;
        }
        at++;
    }
}

ptrdiff_t
plain_signs(Bytes at, ptrdiff_t count)
{
    Bytes begin = at, end = at + count;
    while (end - at >= 8) {
        uint64_t eight;
        memcpy(&eight, at, 8);
        if (HAS(eight, '"') | HAS(eight, '\\') | BELOW(eight, 0x20))
            break;
        at += 8;
    }
    while (at < end && *at >= 0x20 && *at != '"' && *at != '\\')
        at++;
    return at - begin;
}

static int
hex_digit(unsigned char sign)
{
    if (sign >= '0' && sign <= '9')
        return sign - '0';
    sign |= 0x20;
    return sign >= 'a' && sign <= 'f' ? sign - 'a' + 10 : -1;
}

/* The number that four hexadecimal digits stand for, -1 where they are none. */
static int32_t
code_unit(Bytes at, Bytes end)
{
    if (end - at < 4)
        return -1;
    int32_t made = 0;
    for (int each = 0; each < 4; each++) {
        int digit = hex_digit(at[each]);
        if (digit < 0)
            return -1;
        made = made * 16 + digit;
    }
    return made;
}

static unsigned char *
in_utf8(int32_t code, unsigned char *out)
{
    if (code < 0x80) {
        *out++ = (unsigned char)code;
    } else if (code < 0x800) {
        *out++ = (unsigned char)(0xC0 | code >> 6);
        *out++ = (unsigned char)(0x80 | (code & 0x3F));
    } else if (code < 0x10000) {
        *out++ = (unsigned char)(0xE0 | code >> 12);
        *out++ = (unsigned char)(0x80 | (code >> 6 & 0x3F));
        *out++ = (unsigned char)(0x80 | (code & 0x3F));
    } else {
        *out++ = (unsigned char)(0xF0 | code >> 18);
        *out++ = (unsigned char)(0x80 | (code >> 12 & 0x3F));
        *out++ = (unsigned char)(0x80 | (code >> 6 & 0x3F));
        *out++ = (unsigned char)(0x80 | (code & 0x3F));
    }
    return out;
}

ptrdiff_t
unescaped(Bytes at, Bytes end, unsigned char *out)
{
    static const char letters[] = "\"\\/bfnrt";
    static const char meant[] = "\"\\/\b\f\n\r\t";
    unsigned char *first = out;
    while (at < end) {
        if (*at != '\\') {
            *out++ = *at++;
            continue;
        }
        if (end - at < 2)
            return -1;
        unsigned char letter = at[1];
        at += 2;
        if (letter != 'u') {
            const char *found = letter ? strchr(letters, letter) : NULL;
            if (found == NULL)
                return -1;
            *out++ = (unsigned char)meant[found - letters];
            continue;
        }
        int32_t code = code_unit(at, end);
        if (code < 0 || (code >= 0xDC00 && code < 0xE000))
            return -1;
        at += 4;
        if (code >= 0xD800 && code < 0xDC00) {
            if (end - at < 6 || at[0] != '\\' || at[1] != 'u')
                return -1;
            int32_t low = code_unit(at + 2, end);
            if (low < 0xDC00 || low >= 0xE000)
                return -1;
            code = 0x10000 + ((code - 0xD800) << 10) + (low - 0xDC00);
            at += 6;
        }
        out = in_utf8(code, out);
    }
    return out - first;
}
