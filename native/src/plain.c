/* Decoded data: exact dicts, lists, texts and numbers; everything else is left to the telling function. */
#include "core.h"

#define MOST_LOOKED 1000000

/* Whether data nests deeper than `most`, or may: objects of other classes are not looked into, and of much data, or such
 * as stands at many places, no more is looked at than MOST_LOOKED. */
int
is_deeper(Reader *reader, PyObject *plain, int most)
{
    if (++reader->looked > MOST_LOOKED)
        return 1;
    if (!PyDict_Check(plain) && !PyList_Check(plain) && !PyTuple_Check(plain) &&
        (PyUnicode_CheckExact(plain) || PyLong_Check(plain) || PyFloat_Check(plain) || plain == Py_None))
        return 0;
    if (most < 1)
        return 1;
    if (PyDict_CheckExact(plain)) {
        Py_ssize_t position = 0;
        PyObject *key, *held;
        while (PyDict_Next(plain, &position, &key, &held))
            if (is_deeper(reader, held, most - 1))
                return 1;
        return 0;
    }
    if (PyList_CheckExact(plain)) {
        for (Py_ssize_t each = 0; each < PyList_GET_SIZE(plain); each++)
            if (is_deeper(reader, PyList_GET_ITEM(plain, each), most - 1))
                return 1;
        return 0;
    }
    return 1;
}

/* Let the telling function go on from what was made of the first items of a collection, which is taken over. */
static void
handed_over(Reader *reader, const Node *node, PyObject *plain, PyObject *made)
{
    /* Not where keys were dropped: they would be told by nobody. */
    if (made != NULL && reader->dropped == NULL)
        Py_XDECREF(PyObject_CallFunctionObjArgs(reader->state->hand_over, plain, node->site, made, NULL));
    Py_XDECREF(made);
}

static PyObject *
list_from(Reader *reader, const Node *node, PyObject *plain)
{
    if (reader->plan->text && PyUnicode_CheckExact(plain)) { /* one text is a list of it */
        PyObject *alone = PyList_New(1);
        if (alone == NULL)
            return NULL;
        PyList_SET_ITEM(alone, 0, Py_NewRef(plain));
        PyObject *made = list_from(reader, node, alone);
        Py_DECREF(alone);
        return made;
    }
    if (!PyList_CheckExact(plain))
        return NULL;
    Py_ssize_t count = PyList_GET_SIZE(plain);
    if (count > reader->plan->items)
        return NULL;
    PyObject *made = PyList_New(count);
    if (made == NULL)
        return NULL;
    PyObject_GC_UnTrack(made); /* nobody may look at it before it is whole */
    for (Py_ssize_t each = 0; each < count; each++) {
        /* A function that is called for an item may change the list that it came in. */
        PyObject *item = PyList_GET_SIZE(plain) == count ? Py_NewRef(PyList_GET_ITEM(plain, each)) : NULL;
        Py_ssize_t noted = noted_count(reader);
        PyObject *read = item != NULL && tick(reader) ? from_plain(reader, node->inner, item) : NULL;
        Py_XDECREF(item);
        if (read != NULL && !noted_beneath(reader, noted, NULL, each))
            Py_CLEAR(read);
        if (read == NULL) {
            if (each > LARGE && node->site != Py_None && !PyErr_Occurred())
                handed_over(reader, node, plain, PyList_GetSlice(made, 0, each));
            Py_DECREF(made);
            return NULL;
        }
        PyList_SET_ITEM(made, each, read);
    }
    PyObject_GC_Track(made);
    if (PyList_GET_SIZE(plain) != count) {
        Py_DECREF(made);
        return NULL;
    }
    return gathered_as(reader, node, made);
}

static PyObject *
fixed_from(Reader *reader, const Node *node, PyObject *plain)
{
    if (!PyList_CheckExact(plain))
        return NULL;
    Py_ssize_t count = PyList_GET_SIZE(plain), first = node->count;
    if (count > reader->plan->items || (node->inner == NULL ? count != first : count < first))
        return NULL;
    PyObject *made = PyTuple_New(count);
    if (made == NULL)
        return NULL;
    if (count)
        PyObject_GC_UnTrack(made);
    for (Py_ssize_t each = 0; each < count; each++) {
        PyObject *item = PyList_GET_SIZE(plain) == count ? Py_NewRef(PyList_GET_ITEM(plain, each)) : NULL;
        const Node *of = each < first ? node->many[each] : node->inner;
        Py_ssize_t noted = noted_count(reader);
        PyObject *read = item != NULL && tick(reader) ? from_plain(reader, of, item) : NULL;
        Py_XDECREF(item);
        if (read == NULL || !noted_beneath(reader, noted, NULL, each)) {
            Py_XDECREF(read);
            Py_DECREF(made);
            return NULL;
        }
        PyTuple_SET_ITEM(made, each, read);
    }
    if (count)
        PyObject_GC_Track(made);
    return with_parts(reader, node, made);
}

static PyObject *
dict_from(Reader *reader, const Node *node, PyObject *plain)
{
    if (!PyDict_CheckExact(plain) || PyDict_GET_SIZE(plain) > reader->plan->items)
        return NULL;
    Py_ssize_t count = PyDict_GET_SIZE(plain), position = 0;
    PyObject *key, *held, *made = PyDict_New();
    while (made != NULL && PyDict_Next(plain, &position, &key, &held)) {
        Py_INCREF(key);
        Py_INCREF(held);
        Py_ssize_t noted = noted_count(reader);
        PyObject *name = tick(reader) ? from_plain(reader, node->key, key) : NULL;
        PyObject *read = name != NULL ? from_plain(reader, node->inner, held) : NULL;
        if (read == NULL && PyDict_GET_SIZE(made) > LARGE && node->site != Py_None && !PyErr_Occurred())
            handed_over(reader, node, plain, Py_NewRef(made));
        if (read == NULL || !noted_beneath(reader, noted, key, PyDict_GET_SIZE(made)) ||
            PyDict_SetItem(made, name, read) < 0)
            Py_CLEAR(made);
        Py_XDECREF(name);
        Py_XDECREF(read);
        Py_DECREF(key);
        Py_DECREF(held);
        if (PyDict_GET_SIZE(plain) != count)
            Py_CLEAR(made);
    }
    if (made != NULL && PyDict_GET_SIZE(made) != count) /* two keys have become one */
        Py_CLEAR(made);
    return made == NULL ? NULL : with_parts(reader, node, made);
}

/* Whether what came for a field stands for nothing, in all-text data; -1 for an exception. */
static int
is_nothing(Reader *reader, const Field *field, PyObject *held)
{
    if (held == Py_None)
        return (field->told & FIELD_SHORT) != 0;
    return field->told & FIELD_BLANK ? stands_for_nothing(reader, held) : 0;
}

/* One cell of a row, or one value of a record, into the field it is of; 0 for doubt. */
static int
cell_taken(Reader *reader, const Field *field, PyObject **place, PyObject *cell)
{
    Py_INCREF(cell);
    int nothing = field->told ? is_nothing(reader, field, cell) : 0;
    if (nothing == 0)
        *place = from_plain(reader, field->node, cell);
    Py_DECREF(cell);
    return nothing ? nothing > 0 && field->lack != LACK_REQUIRED : *place != NULL;
}

/* Note the keys of a record that nobody declared; 0 for doubt. */
static int
strangers_noted(Reader *reader, const Record *record, PyObject *plain)
{
    Py_ssize_t position = 0, order = record->count, count = PyDict_GET_SIZE(plain), length;
    PyObject *key, *held;
    while (PyDict_GET_SIZE(plain) == count && PyDict_Next(plain, &position, &key, &held)) {
        const char *bytes = PyUnicode_CheckExact(key) ? PyUnicode_AsUTF8AndSize(key, &length) : NULL;
        if (bytes == NULL)
            return 0;
        ptrdiff_t number = key_at(&record->keys, (Bytes)bytes, length);
        Py_INCREF(key); /* a collection of garbage may change the data */
        int fits = number >= 0 || noted_here(reader, record, key, order++);
        Py_DECREF(key);
        if (!fits)
            return 0;
        if (number >= 0 && record->fields[record->keys.keys[number].field].told & FIELD_WITHHELD)
            return 0;
    }
    return 1;
}

static PyObject *
record_from(Reader *reader, const Record *record, PyObject *plain)
{
    if (!PyDict_CheckExact(plain) || !tick(reader))
        return NULL;
    if (reader->plan->text) { /* what a reader of CSV gives for cells past the header stands under None */
        int more = PyDict_Contains(plain, Py_None);
        if (more)
            return NULL;
    }
    PyObject *few[FEW], **values = few, *made = NULL;
    for (uint32_t each = 0; each < record->count && each < FEW; each++)
        few[each] = NULL;
    if (record->count > FEW) {
        values = PyMem_Calloc(record->count, sizeof(PyObject *));
        if (values == NULL)
            return PyErr_NoMemory();
    }
    Py_ssize_t known = 0;
    for (uint32_t each = 0; each < record->count; each++) {
        const Field *field = &record->fields[each];
        if (field->told & FIELD_WITHHELD)
            continue;
        PyObject *held = PyDict_GetItemWithError(plain, field->wire);
        if (held == NULL) {
            if (PyErr_Occurred())
                goto end;
            continue;
        }
        known++;
        Py_INCREF(held);
        Py_ssize_t noted = noted_count(reader);
        int taken = cell_taken(reader, field, &values[each], held);
        Py_DECREF(held);
        if (!taken || !noted_beneath(reader, noted, field->wire, each))
            goto end;
    }
    for (uint32_t each = 0; each < record->also_count; each++) {
        uint32_t number = record->also_of[each];
        PyObject *held = PyDict_GetItemWithError(plain, record->also[each]);
        if (held == NULL) {
            if (PyErr_Occurred())
                goto end;
            continue;
        }
        if (values[number] != NULL || record->fields[number].told)
            goto end; /* it came under two names, or may be blank */
        known++;
        Py_INCREF(held);
        Py_ssize_t noted = noted_count(reader);
        values[number] = from_plain(reader, record->fields[number].node, held);
        Py_DECREF(held);
        if (values[number] == NULL || !noted_beneath(reader, noted, record->also[each], number))
            goto end;
    }
    Py_ssize_t unknown = PyDict_GET_SIZE(plain) - known;
    if (record_lacks(reader, record, values, unknown) &&
        (unknown == 0 || reader->strangers != NOTED || strangers_noted(reader, record, plain)))
        made = record_made(reader, record, values);
end:
    for (uint32_t each = 0; each < record->count; each++)
        Py_XDECREF(values[each]);
    if (values != few)
        PyMem_Free(values);
    return made;
}

/* A row of cells, each column of which is of a field (-1 for one that is passed over): as the record of its names. */
PyObject *
from_row(Reader *reader, const int32_t *columns, Py_ssize_t count, PyObject *cells)
{
    const Node *node = reader->plan->root;
    const Record *record = node->record;
    if (!PyList_CheckExact(cells) || PyList_GET_SIZE(cells) != count || !tick(reader) || !enter(reader, &node))
        return NULL;
    PyObject *few[FEW], **values = few, *made = NULL;
    if (record->count > FEW) {
        values = PyMem_Malloc(record->count * sizeof(PyObject *));
        if (values == NULL)
            return PyErr_NoMemory();
    }
    for (uint32_t each = 0; each < record->count; each++)
        values[each] = NULL;
    int fits = 1;
    for (Py_ssize_t each = 0; fits && each < count; each++)
        if (columns[each] >= 0 && PyList_GET_SIZE(cells) == count)
            fits = cell_taken(reader, &record->fields[columns[each]], &values[columns[each]],
                              PyList_GET_ITEM(cells, each));
    if (fits && PyList_GET_SIZE(cells) == count && record_lacks(reader, record, values, 0))
        made = record_made(reader, record, values);
    for (uint32_t each = 0; each < record->count; each++)
        Py_XDECREF(values[each]);
    if (values != few)
        PyMem_Free(values);
    reader->depth--;
    return made == NULL ? NULL : with_parts(reader, node, made);
}

/* The option of a union that plain data of such a class is read by; NULL for none. */
static const Node *
option_for(const Node *node, PyObject *plain)
{
    uint8_t class = plain == Py_None          ? CLASS_NULL
                    : PyBool_Check(plain)     ? CLASS_TRUTH
                    : PyLong_CheckExact(plain) ? CLASS_WHOLE
                    : PyFloat_Check(plain)    ? CLASS_FRACTION
                    : PyUnicode_CheckExact(plain) ? CLASS_TEXT
                    : PyList_CheckExact(plain) ? CLASS_LIST
                    : PyDict_CheckExact(plain) ? CLASS_RECORD
                                               : 0;
    return option_of(node, class);
}

static const Node *
tagged(const Node *node, PyObject *plain)
{
    if (!PyDict_CheckExact(plain))
        return NULL;
    PyObject *tag = PyDict_GetItemWithError(plain, node->constant);
    if (tag == NULL || !PyUnicode_CheckExact(tag))
        return NULL;
    Py_INCREF(tag);
    PyObject *number = PyDict_GetItemWithError(node->other, tag);
    Py_DECREF(tag);
    return number == NULL ? NULL : node->many[PyLong_AsLong(number)];
}

PyObject *
from_plain(Reader *reader, const Node *node, PyObject *plain)
{
    PyObject *made = NULL;
    const Node *option;
    switch (node->form) {
    case FORM_NULLABLE:
        if (node->flag) {
            int nothing = stands_for_nothing(reader, plain);
            if (nothing)
                return nothing < 0 ? NULL : Py_NewRef(Py_None);
        }
        return plain == Py_None ? Py_NewRef(plain) : from_plain(reader, node->inner, plain);
    case FORM_LIST:
    case FORM_FIXED:
    case FORM_DICT:
    case FORM_RECORD:
        if (!enter(reader, &made))
            return NULL;
        if (node->form == FORM_RECORD) {
            made = record_from(reader, node->record, plain);
            if (made != NULL && node->parts_count)
                made = with_parts(reader, node, made);
        } else {
            made = node->form == FORM_LIST    ? list_from(reader, node, plain)
                   : node->form == FORM_FIXED ? fixed_from(reader, node, plain)
                                              : dict_from(reader, node, plain);
        }
        reader->depth--;
        return made;
    case FORM_UNION:
    case FORM_TAGGED:
        option = node->form == FORM_UNION ? option_for(node, plain) : tagged(node, plain);
        made = option == NULL ? NULL : from_plain(reader, option, plain);
        return made == NULL ? NULL : with_parts(reader, node, made);
    case FORM_SAME:
        made = from_plain(reader, node->inner, plain);
        return made == NULL ? NULL : with_parts(reader, node, made);
    case FORM_SEALED: {
        PyObject *inner = from_plain(reader, node->inner, plain);
        if (inner == NULL)
            return NULL;
        made = PyObject_CallOneArg(node->constant, inner);
        Py_DECREF(inner);
        return made == NULL ? NULL : with_parts(reader, node, made);
    }
    default:
        return single_from_plain(reader, node, plain);
    }
}
