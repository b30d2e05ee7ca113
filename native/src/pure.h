/* The half that knows no Python: bytes of JSON, numbers, dates and times, tables of patterns. Every function is told
 * where its input ends, and reads no byte past that: what is read may be a slice of a larger text. */
#ifndef DUTIFUL_PURE_H
#define DUTIFUL_PURE_H

#include <stddef.h>
#include <stdint.h>
#include <string.h>

typedef const unsigned char *Bytes;

/* Strings of JSON (RFC 8259, section 7). */

enum { ESCAPED = 1, BEYOND_ASCII = 2 };

/* The closing quote of the string whose first byte is at `at`, behind the opening one; NULL where it never closes, or
 * holds a control character. `flags` tells what is in it. */
Bytes string_end(Bytes at, Bytes end, int *flags);

/* The bytes of a string with its escapes resolved, in UTF-8, into `out`, which has room for as many as came. Gives back
 * how many there are; -1 for an escape that is none, and for half of a surrogate pair. */
ptrdiff_t unescaped(Bytes at, Bytes end, unsigned char *out);

/* How many bytes stand before the first one that JSON writes as an escape. */
ptrdiff_t plain_signs(Bytes at, ptrdiff_t count);

Bytes past_blanks(Bytes at, Bytes end);

/* Numbers (section 6). */

typedef struct {
    Bytes end;         /* where it ends; NULL for what is no number */
    int whole;         /* whether it has neither a fraction nor an exponent */
    int fits;          /* whether `integer` is its value */
    int64_t integer;
    int exact;         /* whether `number` is the nearest double: few digits and a small exponent */
    double number;
    ptrdiff_t digits;  /* how many digits stand before the point */
} Number;

Number number_at(Bytes at, Bytes end);

/* The digits of a double that has few, as Python shows them; 0 where it has many, or needs an exponent. */
int few_digits(double number, char out[32]);

/* Dates and times (RFC 3339). */

typedef struct {
    int year, month, day, hour, minute, second, microsecond;
    int offset;   /* minutes */
    int zoned;    /* whether there is an offset */
} Moment;

/* Whether the bytes are a date-time, with or without an offset. Leap seconds are left to others: they are none here. */
int moment_from(Bytes at, ptrdiff_t length, Moment *made);

int day_from(Bytes at, ptrdiff_t length, Moment *made);

/* The 16 bytes of a UUID (RFC 9562), in its usual form of 36 signs. */
int uuid_from(Bytes at, ptrdiff_t length, unsigned char made[16]);

/* Patterns: tables of states over ASCII.
 *
 * `table[0]` states, `table[1]` sorts of signs; then 128 bytes with the sort of each sign, one byte for each state that
 * tells whether a text may end in it, and a row of the next states for each state, a byte for each sort. State 0 is the
 * one from which nothing leads to an end, 1 the first. */

/* Whether a table is whole, and leads nowhere but into itself. */
int table_is_sound(Bytes table, ptrdiff_t length);

/* A table made ready: the next state of a row stands where that state's own row begins. */
typedef struct {
    unsigned char sort[128];
    uint32_t sorts;
    Bytes ends;
    uint16_t *next;
} Table;

/* How many numbers `next` must have room for. */
size_t table_room(Bytes table);

void table_made(Bytes table, uint16_t *next, Table *made);

/* 1 where the text is admitted, 0 where it is not, -1 for a sign beyond ASCII. */
int table_admits(const Table *table, Bytes at, ptrdiff_t length);

/* Keys by their bytes: found in time that does not hang on how many there are. */

typedef struct {
    Bytes bytes;
    uint32_t length;
    uint32_t field;
    int plain;      /* whether it stands in a text as it is, without escapes */
    uint64_t head;  /* its first bytes, eight at the most, as they lie in memory */
    uint64_t mask;  /* which bytes of eight these are */
} Key;

typedef struct {
    Key *keys;
    uint32_t count;
    uint32_t mask;      /* of `slots`, a power of two less one */
    uint32_t *slots;    /* the number of a key and one, 0 for none */
} Keys;

/* Fill the slots, which are zero. 0 where two keys are the same. */
int keys_settle(Keys *keys);

/* Whether a key stands here, with a quote behind it. */
static inline int
key_is_here(const Key *key, Bytes at, Bytes end)
{
    if (end - at <= (ptrdiff_t)key->length || at[key->length] != '"')
        return 0;
    if (end - at < 8)
        return memcmp(at, key->bytes, key->length) == 0;
    uint64_t eight;
    memcpy(&eight, at, 8);
    if ((eight & key->mask) != key->head)
        return 0;
    return key->length <= 8 || memcmp(at + 8, key->bytes + 8, key->length - 8) == 0;
}

/* The number of a key, -1 for none. */
ptrdiff_t key_at(const Keys *keys, Bytes at, ptrdiff_t length);

#endif
