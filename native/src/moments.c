/* Dates and times of RFC 3339, and UUIDs. */
#include "pure.h"

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
    if (length != 36)
        return 0;
    int half = 0;
    for (int each = 0; each < 36; each++) {
        unsigned char sign = at[each];
        if (each == 8 || each == 13 || each == 18 || each == 23) {
            if (sign != '-')
                return 0;
            continue;
        }
        int digit;
        if (sign >= '0' && sign <= '9')
            digit = sign - '0';
        else if ((sign | 0x20) >= 'a' && (sign | 0x20) <= 'f')
            digit = (sign | 0x20) - 'a' + 10;
        else
            return 0;
        made[half >> 1] = (unsigned char)(half & 1 ? made[half >> 1] | digit : digit << 4);
        half++;
    }
    return 1;
}
