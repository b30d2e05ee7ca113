/* Tables: patterns over ASCII, and keys by their bytes. */
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

size_t
table_room(Bytes table)
{
    return (size_t)table[0] * table[1];
}

void
table_made(Bytes table, uint16_t *next, Table *made)
{
    size_t states = table[0], sorts = table[1];
    memcpy(made->sort, table + 2, 128);
    made->sorts = (uint32_t)sorts;
    made->ends = table + 2 + 128;
    made->next = next;
    for (size_t each = 0; each < states * sorts; each++)
        next[each] = (uint16_t)(made->ends[states + each] * sorts);
}

int
table_admits(const Table *table, Bytes at, ptrdiff_t length)
{
    uint32_t state = table->sorts;
    const uint16_t *next = table->next;
    Bytes end = at + length;
    for (; at < end && state; at++) {
        if (*at >= 0x80)
            return -1;
        state = next[state + table->sort[*at]];
    }
    for (; at < end; at++)
        if (*at >= 0x80)
            return -1;
    return state != 0 && table->ends[state / table->sorts] != 0;
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
        size_t first = key->length < 8 ? key->length : 8;
        unsigned char ones[8] = {0};
        memset(ones, 0xFF, first);
        key->head = 0;
        memcpy(&key->head, key->bytes, first);
        memcpy(&key->mask, ones, 8);
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
