/* Tables: patterns over ASCII, and keys by their bytes. */
#include <string.h>

#include "pure.h"

int
table_is_sound(Bytes table, ptrdiff_t length)
{
    if (length < 2)
        return 0;
    ptrdiff_t states = table[0], sorts = table[1];
    if (states < 2 || sorts < 1 || length != 2 + 128 + states + states * sorts)
        return 0;
    for (int sign = 0; sign < 128; sign++)
        if (table[2 + sign] >= sorts)
            return 0;
    for (ptrdiff_t at = 2 + 128 + states; at < length; at++)
        if (table[at] >= states)
            return 0;
    return 1;
}

int
table_admits(Bytes table, Bytes at, ptrdiff_t length)
{
    ptrdiff_t states = table[0], sorts = table[1], state = 1;
    Bytes sort = table + 2, ends = sort + 128, rows = ends + states;
    for (Bytes end = at + length; at < end; at++) {
        if (*at >= 0x80)
            return -1;
        state = rows[state * sorts + sort[*at]];
        if (state == 0) {
            for (; at < end; at++)
                if (*at >= 0x80)
                    return -1;
            return 0;
        }
    }
    return ends[state] != 0;
}

static uint32_t
mixed(Bytes at, ptrdiff_t length)
{
    /* FNV-1a. Who sends data chooses no names of fields: only those that are declared stand in the table. */
    uint32_t made = 2166136261u ^ (uint32_t)length;
    for (ptrdiff_t each = 0; each < length; each++)
        made = (made ^ at[each]) * 16777619u;
    return made ^ made >> 15;
}

int
keys_settle(Keys *keys)
{
    for (uint32_t number = 0; number < keys->count; number++) {
        Key *key = &keys->keys[number];
        if (key_at(keys, key->bytes, key->length) >= 0)
            return 0;
        uint32_t slot = mixed(key->bytes, key->length) & keys->mask;
        while (keys->slots[slot])
            slot = (slot + 1) & keys->mask;
        keys->slots[slot] = number + 1;
    }
    return 1;
}

ptrdiff_t
key_at(const Keys *keys, Bytes at, ptrdiff_t length)
{
    if (keys->count == 0)
        return -1;
    for (uint32_t slot = mixed(at, length) & keys->mask; keys->slots[slot]; slot = (slot + 1) & keys->mask) {
        const Key *key = &keys->keys[keys->slots[slot] - 1];
        if (key->length == length && memcmp(key->bytes, at, (size_t)length) == 0)
            return (ptrdiff_t)keys->slots[slot] - 1;
    }
    return -1;
}
