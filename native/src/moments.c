/* Dates and times of RFC 3339, and UUIDs. */
#include "pure.h"

#define NO 0x80
static const unsigned char hex[256] = {
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    0, 1, 2, 3, 4, 5, 6, 7, 8, 9, NO, NO, NO, NO, NO, NO,
    NO, 10, 11, 12, 13, 14, 15, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, 10, 11, 12, 13, 14, 15, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
    NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO, NO,
};

static int
two_digits(Bytes at)
{
    unsigned high = (unsigned)at[0] - '0', low = (unsigned)at[1] - '0';
    return high > 9 || low > 9 ? -1 : (int)(high * 10 + low);
}

static int
days_in(int year, int month)
{
    static const int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
    int leap = month == 2 && year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
    return days[month - 1] + leap;
}

int
day_from(Bytes at, ptrdiff_t length, Moment *made)
{
    if (length < 10 || at[4] != '-' || at[7] != '-')
        return 0;
    int century = two_digits(at), year = two_digits(at + 2), month = two_digits(at + 5), day = two_digits(at + 8);
    if (century < 0 || year < 0 || month < 1 || month > 12 || day < 1)
        return 0;
    year += century * 100;
    if (year < 1 || day > days_in(year, month))
        return 0;
    made->year = year;
    made->month = month;
    made->day = day;
    return length == 10;
}

int
moment_from(Bytes at, ptrdiff_t length, Moment *made)
{
    *made = (Moment){0};
    if (length < 19 || !day_from(at, 10, made))
        return 0;
    if ((at[10] != 'T' && at[10] != 't') || at[13] != ':' || at[16] != ':')
        return 0;
    made->hour = two_digits(at + 11);
    made->minute = two_digits(at + 14);
    made->second = two_digits(at + 17);
    if (made->hour < 0 || made->hour > 23 || made->minute < 0 || made->minute > 59 || made->second < 0 ||
        made->second > 59)
        return 0;
    ptrdiff_t here = 19;
    if (here < length && at[here] == '.') {
        int scale = 100000;
        ptrdiff_t first = ++here;
        while (here < length && at[here] >= '0' && at[here] <= '9') {
            made->microsecond += scale * (at[here] - '0');
            scale /= 10;
            here++;
        }
        if (here == first)
            return 0;
    }
    if (here == length)
        return 1;
    made->zoned = 1;
    if (at[here] == 'Z' || at[here] == 'z')
        return here + 1 == length;
    if ((at[here] != '+' && at[here] != '-') || length - here != 6 || at[here + 3] != ':')
        return 0;
    int hours = two_digits(at + here + 1), minutes = two_digits(at + here + 4);
    if (hours < 0 || hours > 23 || minutes < 0 || minutes > 59)
        return 0;
    made->offset = (at[here] == '-' ? -1 : 1) * (hours * 60 + minutes);
    return 1;
}

int
uuid_from(Bytes at, ptrdiff_t length, unsigned char made[16])
{
    /* Where each byte's two digits stand. */
    static const unsigned char places[16] = {0, 2, 4, 6, 9, 11, 14, 16, 19, 21, 24, 26, 28, 30, 32, 34};
    if (length != 36 || at[8] != '-' || at[13] != '-' || at[18] != '-' || at[23] != '-')
        return 0;
    unsigned wrong = 0;
    for (int each = 0; each < 16; each++) {
        unsigned high = hex[at[places[each]]], low = hex[at[places[each] + 1]];
        wrong |= high | low;
        made[each] = (unsigned char)(high << 4 | (low & 15));
    }
    return wrong < 16;
}
