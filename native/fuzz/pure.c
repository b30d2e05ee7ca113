/* Fuzzing of the half that knows no Python. With clang it is a target of libFuzzer; with any other compiler it brings a
 * driver of its own, which mutates the corpus for so many seconds: `pure SECONDS SEED FILE...`. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "../src/pure.h"

static void
must(int holds, const char *words)
{
    if (!holds) {
        fprintf(stderr, "%s\n", words);
        abort();
    }
}

/* Everything that reads bytes, on a slice whose neighbours are sound JSON: nothing past its end may be looked at. */
static void
read_all(Bytes at, size_t count)
{
    Bytes end = at + count;
    int flags = 0;
    Bytes closed = string_end(at, end, &flags);
    if (closed != NULL) {
        must(closed >= at && closed < end && *closed == '"', "a string that ends elsewhere");
        unsigned char *out = malloc((size_t)(closed - at) + 1);
        ptrdiff_t length = unescaped(at, closed, out);
        must(length <= closed - at, "escapes that grow");
        must(flags & ESCAPED || length == closed - at, "a text without escapes that shrinks");
        free(out);
    }
    must(past_blanks(at, end) <= end, "blanks past the end");
    must(plain_signs(at, (ptrdiff_t)count) <= (ptrdiff_t)count, "signs past the end");
    Number number = number_at(at, end);
    if (number.end != NULL) {
        must(number.end > at && number.end <= end, "a number that ends elsewhere");
        char digits[400], shown[40];
        size_t length = (size_t)(number.end - at);
        if (length < sizeof(digits)) {
            memcpy(digits, at, length);
            digits[length] = 0;
            double wanted = strtod(digits, NULL);
            must(!number.exact || number.number == wanted, "another double than the standard library reads");
            must(!number.fits || !number.whole || (double)number.integer == wanted, "another whole number");
            int few = few_digits(wanted, shown);
            shown[few] = 0;
            must(few == 0 || strtod(shown, NULL) == wanted, "digits of another double");
        }
    }
    Moment moment;
    unsigned char bytes[16];
    if (moment_from(at, (ptrdiff_t)count, &moment))
        must(moment.month >= 1 && moment.month <= 12 && moment.day >= 1 && moment.day <= 31, "a date that is none");
    moment = (Moment){0};
    day_from(at, (ptrdiff_t)count, &moment);
    uuid_from(at, (ptrdiff_t)count, bytes);
    if (table_is_sound(at, (ptrdiff_t)count)) {
        uint16_t *next = malloc(table_room(at) * sizeof(uint16_t) + 1);
        Table table;
        table_made(at, next, &table);
        table_admits(&table, at, (ptrdiff_t)count);
        free(next);
    }
}

int
LLVMFuzzerTestOneInput(const uint8_t *data, size_t count)
{
    read_all(data, count); /* the fuzzer's own memory ends where the data does */
    static const char before[] = "{\"berth\": \"", after[] = "\", \"seats\": 12}";
    size_t first = sizeof(before) - 1, last = sizeof(after) - 1;
    unsigned char *whole = malloc(first + count + last);
    memcpy(whole, before, first);
    if (count)
        memcpy(whole + first, data, count);
    memcpy(whole + first + count, after, last);
    read_all(whole + first, count);
    free(whole);
    return 0;
}

#ifndef __clang__
#define MOST 4096

static unsigned char *seeds[256];
static size_t sizes[256], known;

static size_t
mutated(unsigned char *out)
{
    size_t which = (size_t)rand() % known, count = sizes[which];
    memcpy(out, seeds[which], count);
    for (int turn = rand() % 6; turn >= 0; turn--) {
        size_t at = count ? (size_t)rand() % count : 0;
        switch (rand() % 5) {
        case 0:
            if (count)
                out[at] = (unsigned char)rand();
            break;
        case 1:
            if (count)
                out[at] ^= (unsigned char)(1 << rand() % 8);
            break;
        case 2:
            count = at;
            break;
        case 3:
            if (count < MOST) {
                memmove(out + at + 1, out + at, count - at);
                out[at] = (unsigned char)"\"\\u{}[],:0.eE-+TZ \x80\xff"[rand() % 20];
                count++;
            }
            break;
        default: {
            size_t other = (size_t)rand() % known, more = sizes[other];
            if (count + more <= MOST) {
                memcpy(out + count, seeds[other], more);
                count += more;
            }
        }
        }
    }
    return count;
}

int
main(int count, char **words)
{
    unsigned seed = count > 2 ? (unsigned)atoi(words[2]) : 1;
    time_t until = time(NULL) + (count > 1 ? atoi(words[1]) : 10);
    for (int each = 3; each < count && known < 256; each++) {
        FILE *file = fopen(words[each], "rb");
        if (file == NULL)
            continue;
        seeds[known] = malloc(MOST);
        sizes[known] = fread(seeds[known], 1, MOST / 4, file);
        known++;
        fclose(file);
    }
    must(known > 0, "no corpus");
    srand(seed);
    unsigned long done = 0;
    unsigned char out[MOST + 1];
    while (time(NULL) < until)
        for (int turn = 0; turn < 1000; turn++, done++) {
            size_t length = mutated(out);
            unsigned char *exact = malloc(length ? length : 1); /* so that a sanitizer sees its end */
            memcpy(exact, out, length);
            LLVMFuzzerTestOneInput(exact, length);
            free(exact);
        }
    printf("%lu inputs from %zu seeds, seed %u: nothing found\n", done, known, seed);
    return 0;
}
#endif
