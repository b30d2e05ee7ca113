/* JSON text: values straight from its bytes. What is no sound JSON within the limits is left to the careful reader. */
#include <string.h>

#include "core.h"

/* Strings */

typedef struct {
    Bytes at;      /* its bytes; in `owned` where there were escapes */
    Py_ssize_t length;
    int flags;
    unsigned char *owned;
    unsigned char short_one[64];
} Text;

static void
let_go(Text *text)
{
    if (text->owned != NULL && text->owned != text->short_one)
        PyMem_Free(text->owned);
}

/* The string that begins here, behind its quote; 0 for what is none. What it holds beyond ASCII is not looked at yet. */
static int
text_read(Reader *reader, Text *text)
{
    Bytes end = string_end(reader->at, reader->end, &text->flags);
    text->owned = NULL;
    if (end == NULL)
        return 0;
    text->at = reader->at;
    text->length = end - reader->at;
    reader->at = end + 1;
    if (!(text->flags & ESCAPED))
        return 1;
    text->owned = text->length <= (Py_ssize_t)sizeof(text->short_one) ? text->short_one : PyMem_Malloc((size_t)text->length);
    if (text->owned == NULL) {
        PyErr_NoMemory();
        return 0;
    }
    text->length = unescaped(text->at, end, text->owned);
    text->at = text->owned;
    if (text->length < 0) {
        let_go(text);
        return 0;
    }
    for (Py_ssize_t each = 0; each < text->length && !(text->flags & BEYOND_ASCII); each++)
        if (text->at[each] >= 0x80)
            text->flags |= BEYOND_ASCII;
    return 1;
}

static PyObject *
text_made(const Text *text)
{
    if (text->flags & BEYOND_ASCII) {
        PyObject *made = PyUnicode_DecodeUTF8((const char *)text->at, text->length, "strict");
        if (made == NULL && PyErr_ExceptionMatches(PyExc_UnicodeDecodeError))
            PyErr_Clear();
        return made;
    }
    if (text->length < 2)
        return PyUnicode_FromStringAndSize((const char *)text->at, text->length);
    PyObject *made = PyUnicode_New(text->length, 127);
    if (made != NULL)
        memcpy(PyUnicode_1BYTE_DATA(made), text->at, (size_t)text->length);
    return made;
}

static PyObject *
string_from(Reader *reader)
{
    Text text;
    if (!text_read(reader, &text))
        return NULL;
    PyObject *made = text_made(&text);
    let_go(&text);
    return made;
}

/* Numbers */

static PyObject *
long_number(Reader *reader, Bytes first, const Number *number, int as_double)
{
    Py_ssize_t length = number->end - first;
    if (number->digits > 4300 || length > 100000)
        return NULL;
    char few[64], *digits = length < (Py_ssize_t)sizeof(few) ? few : PyMem_Malloc((size_t)length + 1);
    if (digits == NULL)
        return PyErr_NoMemory();
    memcpy(digits, first, (size_t)length);
    digits[length] = 0;
    PyObject *made = NULL;
    if (number->whole) {
        made = PyLong_FromString(digits, NULL, 10);
        if (made == NULL && PyErr_ExceptionMatches(PyExc_ValueError))
            PyErr_Clear();
    } else if (!as_double) {
        made = PyObject_CallFunction(reader->state->Digits, "s", digits);
    } else {
        double value = PyOS_string_to_double(digits, NULL, NULL);
        if (value == -1.0 && PyErr_Occurred()) {
            if (PyErr_ExceptionMatches(PyExc_ValueError) || PyErr_ExceptionMatches(PyExc_OverflowError))
                PyErr_Clear();
        } else {
            made = PyFloat_FromDouble(value);
        }
    }
    if (digits != few)
        PyMem_Free(digits);
    return made;
}

/* A number as plain data; `as_double` where its digits are wanted by nobody. */
static PyObject *
number_from(Reader *reader, int as_double)
{
    Bytes first = reader->at;
    Number number = number_at(first, reader->end);
    if (number.end == NULL)
        return NULL;
    reader->at = number.end;
    if (number.whole && number.fits)
        return PyLong_FromLongLong(number.integer);
    as_double = as_double || !reader->plan->exact;
    if (number.exact && as_double)
        return PyFloat_FromDouble(number.number);
    return long_number(reader, first, &number, as_double);
}

static int
is_word(Reader *reader, const char *word, Py_ssize_t length)
{
    if (reader->end - reader->at < length || memcmp(reader->at, word, (size_t)length) != 0)
        return 0;
    reader->at += length;
    return 1;
}

static PyObject *
word_from(Reader *reader)
{
    if (is_word(reader, "null", 4))
        return Py_NewRef(Py_None);
    if (is_word(reader, "true", 4))
        return Py_NewRef(Py_True);
    return is_word(reader, "false", 5) ? Py_NewRef(Py_False) : NULL;
}

/* The next byte that is no blank, 0 at the end. */
static inline unsigned char
next_sign(Reader *reader)
{
    if (reader->end - reader->at > 1) {
        if (*reader->at > ' ')
            return *reader->at;
        if (reader->at[1] > ' ' && *reader->at == ' ')
            return *++reader->at;
    }
    reader->at = past_blanks(reader->at, reader->end);
    return reader->at < reader->end ? *reader->at : 0;
}

/* After a value in a list or record: 1 for a comma, which is passed; -1 for its end, which is passed; 0 for neither. */
static int
goes_on(Reader *reader, unsigned char end)
{
    unsigned char sign = next_sign(reader);
    if (sign != ',' && sign != end)
        return 0;
    reader->at++;
    return sign == ',' ? 1 : -1;
}

/* Items that are read one after the other: they stand in one row, which all lists share. */

static int
held(Reader *reader, PyObject *item)
{
    if (reader->held_count == reader->held_room) {
        size_t room = reader->held_room ? reader->held_room * 2 : 64;
        PyObject **more = PyMem_Realloc(reader->held, room * sizeof(PyObject *));
        if (more == NULL) {
            Py_DECREF(item);
            PyErr_NoMemory();
            return 0;
        }
        reader->held = more;
        reader->held_room = room;
    }
    reader->held[reader->held_count++] = item;
    return 1;
}

static void
drop_held(Reader *reader, size_t first)
{
    while (reader->held_count > first) {
        /* What goes may run code that reads by the same row. */
        PyObject *item = reader->held[--reader->held_count];
        Py_DECREF(item);
    }
}

/* The items from `first` on as a list, or a tuple. */
static PyObject *
taken(Reader *reader, size_t first, int tuple)
{
    Py_ssize_t count = (Py_ssize_t)(reader->held_count - first);
    PyObject *made = tuple ? PyTuple_New(count) : PyList_New(count);
    if (made == NULL) {
        drop_held(reader, first);
        return NULL;
    }
    for (Py_ssize_t each = 0; each < count; each++) {
        PyObject *item = reader->held[first + (size_t)each];
        if (tuple)
            PyTuple_SET_ITEM(made, each, item);
        else
            PyList_SET_ITEM(made, each, item);
    }
    reader->held_count = first;
    return made;
}

/* The same items once more, in a list. */
static PyObject *
copied(Reader *reader, size_t first)
{
    Py_ssize_t count = (Py_ssize_t)(reader->held_count - first);
    PyObject *made = PyList_New(count);
    for (Py_ssize_t each = 0; made != NULL && each < count; each++)
        PyList_SET_ITEM(made, each, Py_NewRef(reader->held[first + (size_t)each]));
    return made;
}

/* Anything, as plain data */

static PyObject *
plain_list(Reader *reader)
{
    size_t first = reader->held_count;
    reader->at++;
    if (next_sign(reader) == ']') {
        reader->at++;
        return PyList_New(0);
    }
    for (;;) {
        PyObject *item = tick(reader) ? plain_from_raw(reader) : NULL;
        int more = item != NULL && held(reader, item) ? goes_on(reader, ']') : 0;
        if (more < 0)
            return taken(reader, first, 0);
        if (more == 0) {
            drop_held(reader, first);
            return NULL;
        }
    }
}

static PyObject *
plain_record(Reader *reader)
{
    PyObject *made = PyDict_New();
    Py_ssize_t count = 0;
    reader->at++;
    if (made != NULL && next_sign(reader) == '}') {
        reader->at++;
        return made;
    }
    while (made != NULL) {
        PyObject *key = NULL, *value = NULL;
        if (next_sign(reader) == '"') {
            reader->at++;
            key = string_from(reader);
        }
        if (key != NULL && next_sign(reader) == ':') {
            reader->at++;
            value = tick(reader) ? plain_from_raw(reader) : NULL;
        }
        int more = 0;
        if (value != NULL && PyDict_SetItem(made, key, value) == 0 && PyDict_GET_SIZE(made) == ++count)
            more = goes_on(reader, '}');
        Py_XDECREF(key);
        Py_XDECREF(value);
        if (more < 0)
            return made;
        if (more == 0)
            Py_CLEAR(made);
    }
    return NULL;
}

PyObject *
plain_from_raw(Reader *reader)
{
    unsigned char sign = next_sign(reader);
    if (sign == '"') {
        reader->at++;
        return string_from(reader);
    }
    if (sign != '{' && sign != '[')
        return sign == '-' || (sign >= '0' && sign <= '9') ? number_from(reader, 0) : word_from(reader);
    if (!enter(reader, &sign))
        return NULL;
    PyObject *made = sign == '{' ? plain_record(reader) : plain_list(reader);
    reader->depth--;
    return made;
}

/* What has no way of its own from text is read as plain data first. */
static PyObject *
by_way_of_plain(Reader *reader, const Node *node)
{
    PyObject *plain = plain_from_raw(reader);
    if (plain == NULL)
        return NULL;
    PyObject *made = from_plain(reader, node, plain);
    Py_DECREF(plain);
    return made;
}

/* What was made of the first items of a collection waits, until there is plain data to hand it over with. It is taken
 * over; the steps to it follow from the inside out. */
static void
waits(Reader *reader, const Node *node, PyObject *made)
{
    PyObject *steps = made == NULL || reader->dropped != NULL ? NULL : PyList_New(0); /* else they would be told by nobody */
    PyObject *entry = steps == NULL ? NULL : PyTuple_Pack(3, node->site, made, steps);
    if (entry != NULL && reader->waiting == NULL)
        reader->waiting = PyList_New(0);
    if (entry != NULL && reader->waiting != NULL)
        (void)PyList_Append(reader->waiting, entry);
    Py_XDECREF(entry);
    Py_XDECREF(steps);
    Py_XDECREF(made);
}

/* One more step on the way to all that waits; it is taken over. */
static void
step_back(Reader *reader, PyObject *step)
{
    if (reader->waiting != NULL && step != NULL && !PyErr_Occurred())
        for (Py_ssize_t each = 0; each < PyList_GET_SIZE(reader->waiting); each++) {
            PyObject *entry = PyList_GET_ITEM(reader->waiting, each);
            if (PyList_Append(PyTuple_GET_ITEM(entry, 2), step) < 0)
                break;
        }
    Py_XDECREF(step);
}

/* Records */

typedef struct {
    PyObject *unknown;  /* names that nobody declared, so that none comes twice */
    Py_ssize_t count;
} Strangers;

static int
stranger(Reader *reader, const Record *record, Strangers *strangers, const Text *name)
{
    if (record->refuses || reader->strangers == DOUBTED)
        return 0;
    PyObject *made = text_made(name);
    if (made == NULL)
        return 0;
    if (strangers->unknown == NULL)
        strangers->unknown = PySet_New(NULL);
    int added = strangers->unknown != NULL && PySet_Add(strangers->unknown, made) == 0 &&
                PySet_GET_SIZE(strangers->unknown) == ++strangers->count;
    if (added && reader->strangers == NOTED)
        added = noted_here(reader, record, made, record->count + strangers->count);
    Py_DECREF(made);
    return added;
}

static int
field_read(Reader *reader, const Record *record, PyObject **values, uint32_t *likely, Strangers *strangers)
{
    Text name;
    if (next_sign(reader) != '"')
        return 0;
    reader->at++;
    /* Fields mostly come in the order in which they were declared. */
    ptrdiff_t number = -1;
    if (*likely < record->keys.count) {
        const Key *key = &record->keys.keys[*likely];
        if (key->plain && key_is_here(key, reader->at, reader->end)) {
            number = *likely;
            reader->at += key->length + 1;
        }
    }
    if (number < 0) {
        if (!text_read(reader, &name))
            return 0;
        number = key_at(&record->keys, name.at, name.length);
        int known = number >= 0 && !(record->fields[record->keys.keys[number].field].told & FIELD_WITHHELD);
        int withheld = number >= 0 && !known && reader->strangers == NOTED;
        int fits = known || (!withheld && stranger(reader, record, strangers, &name));
        let_go(&name);
        if (!fits)
            return 0;
        if (!known)
            number = -1;
    } else if (record->fields[record->keys.keys[number].field].told & FIELD_WITHHELD) {
        return 0; /* rare, and to be counted among those that nobody declared */
    }
    if (next_sign(reader) != ':')
        return 0;
    reader->at++;
    if (number < 0) {
        PyObject *passed = plain_from_raw(reader);
        Py_XDECREF(passed);
        return passed != NULL;
    }
    *likely = (uint32_t)number + 1;
    uint32_t field = record->keys.keys[number].field;
    if (values[field] != NULL)
        return 0;
    Py_ssize_t noted = noted_count(reader);
    values[field] = from_raw(reader, record->fields[field].node);
    if (values[field] != NULL && noted_count(reader) != noted) {
        const Key *key = &record->keys.keys[number];
        PyObject *step = PyUnicode_DecodeUTF8((const char *)key->bytes, key->length, "strict");
        int beneath = step != NULL && noted_beneath(reader, noted, step, field);
        Py_XDECREF(step);
        return beneath;
    }
    if (values[field] == NULL && reader->waiting != NULL && !PyErr_Occurred()) {
        const Key *key = &record->keys.keys[number];
        step_back(reader, PyUnicode_DecodeUTF8((const char *)key->bytes, key->length, "strict"));
    }
    return values[field] != NULL;
}

static PyObject *
record_from(Reader *reader, const Record *record)
{
    PyObject *few[FEW], **values = few, *made = NULL;
    Strangers strangers = {NULL, 0};
    if (*reader->at != '{' || !tick(reader))
        return NULL;
    for (uint32_t each = 0; each < record->count && each < FEW; each++)
        few[each] = NULL;
    if (record->count > FEW) {
        values = PyMem_Calloc(record->count, sizeof(PyObject *));
        if (values == NULL)
            return PyErr_NoMemory();
    }
    uint32_t likely = 0;
    int more = -1;
    reader->at++;
    if (next_sign(reader) == '}') {
        reader->at++;
    } else {
        do
            more = field_read(reader, record, values, &likely, &strangers) ? goes_on(reader, '}') : 0;
        while (more > 0);
    }
    if (more < 0 && record_lacks(reader, record, values, strangers.count))
        made = record_made(reader, record, values);
    for (uint32_t each = 0; each < record->count; each++)
        Py_XDECREF(values[each]);
    if (values != few)
        PyMem_Free(values);
    Py_XDECREF(strangers.unknown);
    return made;
}

/* Collections */

static PyObject *
list_from(Reader *reader, const Node *node)
{
    if (*reader->at != '[')
        return NULL;
    size_t first = reader->held_count;
    reader->at++;
    int more = 1;
    if (next_sign(reader) == ']') {
        reader->at++;
        more = -1;
    }
    while (more > 0) {
        Py_ssize_t count = (Py_ssize_t)(reader->held_count - first);
        const Node *of = node->inner;
        if (node->form == FORM_FIXED && count < (Py_ssize_t)node->count)
            of = node->many[count];
        Py_ssize_t noted = noted_count(reader);
        PyObject *item = of != NULL && count < reader->plan->items && tick(reader) ? from_raw(reader, of) : NULL;
        if (item == NULL && !PyErr_Occurred()) {
            if (reader->waiting != NULL)
                step_back(reader, PyLong_FromSsize_t(count));
            if (count > LARGE && node->form == FORM_LIST && node->site != Py_None)
                waits(reader, node, copied(reader, first));
        }
        more = item != NULL && held(reader, item) ? goes_on(reader, ']') : 0;
        if (!noted_beneath(reader, noted, NULL, count))
            more = 0;
    }
    Py_ssize_t count = (Py_ssize_t)(reader->held_count - first);
    if (more == 0 || (node->form == FORM_FIXED && count < (Py_ssize_t)node->count)) {
        drop_held(reader, first);
        return NULL;
    }
    PyObject *made = taken(reader, first, node->form == FORM_FIXED);
    if (made == NULL)
        return NULL;
    return node->form == FORM_FIXED ? with_parts(reader, node, made) : gathered_as(reader, node, made);
}

static PyObject *
dict_from(Reader *reader, const Node *node)
{
    if (*reader->at != '{')
        return NULL;
    PyObject *made = PyDict_New();
    Py_ssize_t count = 0;
    int more = 1;
    reader->at++;
    /* Steps may make one key of two, which is another fault than a key that comes twice: both are left to others. */
    if (next_sign(reader) == '}') {
        reader->at++;
        more = -1;
    }
    while (made != NULL && more > 0) {
        PyObject *key = NULL, *value = NULL;
        if (next_sign(reader) == '"' && count < reader->plan->items && tick(reader))
            key = from_raw(reader, node->key);
        if (key != NULL && next_sign(reader) == ':') {
            reader->at++;
            Py_ssize_t noted = noted_count(reader);
            value = from_raw(reader, node->inner);
            /* A step may have changed the key: the one that came is told. */
            if (value != NULL && noted_count(reader) != noted &&
                (node->key->parts_count || node->key->form != FORM_TEXT || !noted_beneath(reader, noted, key, count)))
                Py_CLEAR(value);
            else if (value == NULL && !PyErr_Occurred()) {
                if (reader->waiting != NULL)
                    step_back(reader, Py_NewRef(key));
                if (count > LARGE && node->site != Py_None)
                    waits(reader, node, Py_NewRef(made));
            }
        }
        more = 0;
        if (value != NULL && PyDict_SetItem(made, key, value) == 0 && PyDict_GET_SIZE(made) == ++count)
            more = goes_on(reader, '}');
        Py_XDECREF(key);
        Py_XDECREF(value);
    }
    if (more == 0)
        Py_CLEAR(made);
    return made == NULL ? NULL : with_parts(reader, node, made);
}

/* Unions */

static PyObject *
union_from(Reader *reader, const Node *node)
{
    const Node *option;
    switch (*reader->at) {
    case '"':
        option = option_of(node, CLASS_TEXT);
        break;
    case '{':
        option = option_of(node, CLASS_RECORD);
        break;
    case '[':
        option = option_of(node, CLASS_LIST);
        break;
    case 'n':
        option = option_of(node, CLASS_NULL);
        break;
    case 't':
    case 'f':
        option = option_of(node, CLASS_TRUTH);
        break;
    default: {
        Number number = number_at(reader->at, reader->end);
        if (number.end == NULL)
            return NULL;
        option = option_of(node, number.whole ? CLASS_WHOLE : CLASS_FRACTION);
    }
    }
    PyObject *made = option == NULL ? NULL : from_raw(reader, option);
    return made == NULL ? NULL : with_parts(reader, node, made);
}

/* The tag mostly comes first; where it does not, the record is read as plain data, so that nothing is read twice. */
static PyObject *
tagged_from(Reader *reader, const Node *node)
{
    Bytes begin = reader->at;
    if (*begin != '{')
        return NULL;
    const Node *option = NULL;
    Text name;
    reader->at++;
    if (next_sign(reader) == '"') {
        reader->at++;
        if (!text_read(reader, &name))
            return NULL;
        Py_ssize_t length;
        const char *tag = PyUnicode_AsUTF8AndSize(node->constant, &length);
        int first = tag != NULL && length == name.length && memcmp(tag, name.at, (size_t)length) == 0;
        let_go(&name);
        if (tag == NULL)
            return NULL;
        if (first && next_sign(reader) == ':') {
            reader->at++;
            if (next_sign(reader) == '"') {
                reader->at++;
                PyObject *held = string_from(reader);
                PyObject *number = held == NULL ? NULL : PyDict_GetItemWithError(node->other, held);
                Py_XDECREF(held);
                if (number == NULL)
                    return NULL;
                option = node->many[PyLong_AsLong(number)];
            }
        }
    }
    reader->at = begin;
    if (option == NULL)
        return by_way_of_plain(reader, node);
    PyObject *made = from_raw(reader, option);
    return made == NULL ? NULL : with_parts(reader, node, made);
}

/* Single values */

static PyObject *
single_from(Reader *reader, const Node *node)
{
    unsigned char sign = *reader->at;
    if (sign != '"' || node->form == FORM_CALL) {
        if (sign == '{' || sign == '[')
            return node->form == FORM_CALL ? by_way_of_plain(reader, node) : NULL;
        int digit = sign == '-' || (sign >= '0' && sign <= '9');
        if (digit && node->form == FORM_NUMBER) {
            Number number = number_at(reader->at, reader->end);
            if (number.end != NULL && (number.exact || (number.fits && number.whole))) {
                reader->at = number.end;
                PyObject *held = PyFloat_FromDouble(number.exact ? number.number : (double)number.integer);
                return held == NULL ? NULL : with_parts(reader, node, held);
            }
        }
        int as_double = node->form == FORM_NUMBER || node->form == FORM_WHOLE;
        PyObject *plain = digit ? number_from(reader, as_double) : plain_from_raw(reader), *made;
        if (plain == NULL)
            return NULL;
        made = single_from_plain(reader, node, plain);
        Py_DECREF(plain);
        return made;
    }
    Text text;
    reader->at++;
    if (!text_read(reader, &text))
        return NULL;
    PyObject *made = NULL, *plain;
    int plainly = !(text.flags & BEYOND_ASCII);
    if (node->form == FORM_CHOICE) {
        ptrdiff_t number = key_at(&node->choices, text.at, text.length);
        let_go(&text);
        return number < 0 ? NULL : with_parts(reader, node, Py_NewRef(node->chosen[number]));
    }
    if (plainly && node->form >= FORM_MOMENT && node->form <= FORM_DAY)
        made = moment_made(reader, node, text.at, text.length);
    else if (plainly && node->form == FORM_UUID)
        made = uuid_made(reader, text.at, text.length);
    else if (node->form == FORM_TEXT)
        made = text_made(&text);
    if (made != NULL || PyErr_Occurred() || node->form == FORM_TEXT) {
        let_go(&text);
        return made == NULL ? NULL : with_parts(reader, node, made);
    }
    plain = text_made(&text);
    let_go(&text);
    if (plain == NULL)
        return NULL;
    made = single_from_plain(reader, node, plain);
    Py_DECREF(plain);
    return made;
}

PyObject *
from_raw(Reader *reader, const Node *node)
{
    PyObject *made = NULL;
    unsigned char sign = next_sign(reader);
    if (sign == 0)
        return NULL;
    switch (node->form) {
    case FORM_NULLABLE:
        return sign == 'n' ? word_from(reader) : from_raw(reader, node->inner);
    case FORM_LIST:
    case FORM_FIXED:
    case FORM_DICT:
    case FORM_RECORD:
        if (!enter(reader, &made))
            return NULL;
        if (node->form == FORM_RECORD) {
            made = record_from(reader, node->record);
            if (made != NULL && node->parts_count)
                made = with_parts(reader, node, made);
        } else {
            made = node->form == FORM_DICT ? dict_from(reader, node) : list_from(reader, node);
        }
        reader->depth--;
        return made;
    case FORM_UNION:
    case FORM_TAGGED:
        return node->form == FORM_UNION ? union_from(reader, node) : tagged_from(reader, node);
    case FORM_SAME:
        made = from_raw(reader, node->inner);
        return made == NULL ? NULL : with_parts(reader, node, made);
    case FORM_SEALED: {
        PyObject *inner = from_raw(reader, node->inner);
        if (inner == NULL)
            return NULL;
        made = PyObject_CallOneArg(node->constant, inner);
        Py_DECREF(inner);
        return made == NULL ? NULL : with_parts(reader, node, made);
    }
    default:
        return single_from(reader, node);
    }
}
