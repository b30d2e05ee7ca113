/* The way out: sound typed values to JSON. What is not of the exact class that was declared is left to Python. */
#include "out.h"

#include <datetime.h>
#include <string.h>

#define STACK_ROOM (56 * 1024)
#define TICK 1024

static int
roomy(Writer *writer, size_t more)
{
    if (writer->room - writer->length >= more)
        return 1;
    size_t room = writer->room * 2 > writer->length + more ? writer->room * 2 : writer->length + more + 256;
    char *bytes = PyMem_Realloc(writer->bytes, room);
    if (bytes == NULL) {
        PyErr_NoMemory();
        return 0;
    }
    writer->bytes = bytes;
    writer->room = room;
    return 1;
}

static int
put(Writer *writer, const char *bytes, size_t count)
{
    if (!roomy(writer, count))
        return 0;
    memcpy(writer->bytes + writer->length, bytes, count);
    writer->length += count;
    return 1;
}

static int
put_sign(Writer *writer, char sign)
{
    return put(writer, &sign, 1);
}

/* A text in quotes: quotes, backslashes and control characters escaped as the standard library has them. */
static int
put_text(Writer *writer, PyObject *text)
{
    if (!PyUnicode_CheckExact(text))
        return 0;
    const unsigned char *signs;
    Py_ssize_t count;
    if (PyUnicode_IS_ASCII(text)) {
        signs = PyUnicode_1BYTE_DATA(text);
        count = PyUnicode_GET_LENGTH(text);
    } else {
        signs = (const unsigned char *)PyUnicode_AsUTF8AndSize(text, &count);
        if (signs == NULL) {
            if (PyErr_ExceptionMatches(PyExc_UnicodeEncodeError))
                PyErr_Clear();
            return 0;
        }
    }
    if (count > PY_SSIZE_T_MAX / 6 - 8 || !roomy(writer, (size_t)count * 6 + 2))
        return 0;
    char *out = writer->bytes + writer->length;
    *out++ = '"';
    for (Py_ssize_t each = 0; each < count;) {
        Py_ssize_t free = plain_signs(signs + each, count - each);
        memcpy(out, signs + each, (size_t)free);
        out += free;
        each += free;
        if (each == count)
            break;
        unsigned char sign = signs[each++];
        *out++ = '\\';
        switch (sign) {
        case '"': *out++ = '"'; break;
        case '\\': *out++ = '\\'; break;
        case '\n': *out++ = 'n'; break;
        case '\r': *out++ = 'r'; break;
        case '\t': *out++ = 't'; break;
        case '\b': *out++ = 'b'; break;
        case '\f': *out++ = 'f'; break;
        default:
            *out++ = 'u';
            *out++ = '0';
            *out++ = '0';
            *out++ = (char)('0' + (sign >> 4));
            *out++ = "0123456789abcdef"[sign & 15];
        }
    }
    *out++ = '"';
    writer->length = (size_t)(out - writer->bytes);
    return 1;
}

/* What Python writes of an object: ASCII, without quotes. */
static int
put_shown(Writer *writer, PyObject *shown)
{
    int fits = 0;
    if (shown != NULL && PyUnicode_IS_ASCII(shown))
        fits = put(writer, (const char *)PyUnicode_1BYTE_DATA(shown), (size_t)PyUnicode_GET_LENGTH(shown));
    Py_XDECREF(shown);
    return fits;
}

static int
put_digits(Writer *writer, long long whole)
{
    char digits[24], *at = digits + sizeof(digits);
    unsigned long long left = whole < 0 ? 0ULL - (unsigned long long)whole : (unsigned long long)whole;
    do
        *--at = (char)('0' + left % 10);
    while (left /= 10);
    if (whole < 0)
        *--at = '-';
    return put(writer, at, (size_t)(digits + sizeof(digits) - at));
}

/* A whole number of any size. */
static int
put_digits_of(Writer *writer, PyObject *value)
{
    int overflow;
    long long whole = PyLong_AsLongLongAndOverflow(value, &overflow);
    if (!overflow)
        return put_digits(writer, whole);
    PyObject *shown = PyObject_Str(value);
    if (shown == NULL && PyErr_ExceptionMatches(PyExc_ValueError))
        PyErr_Clear(); /* of more digits than the interpreter writes */
    return put_shown(writer, shown);
}

static int
put_whole(Writer *writer, PyObject *value)
{
    if (!PyLong_CheckExact(value))
        return 0;
    int overflow;
    long long whole = PyLong_AsLongLongAndOverflow(value, &overflow);
    if (!overflow)
        return put_digits(writer, whole);
    /* Whether so many digits may go out is asked by the check. */
    return !writer->plan->checked && put_digits_of(writer, value);
}

static int
put_number(Writer *writer, PyObject *value)
{
    if (!PyFloat_CheckExact(value)) /* a whole number goes out as a fraction, where it is brought into its final form */
        return !writer->plan->checked && put_whole(writer, value);
    double number = PyFloat_AS_DOUBLE(value);
    if (number - number != 0.0)
        return 0;
    char digits[32];
    int count = few_digits(number, digits);
    if (count)
        return put(writer, digits, (size_t)count);
    char *shown = PyOS_double_to_string(number, 'r', 0, Py_DTSF_ADD_DOT_0, NULL);
    if (shown == NULL)
        return 0;
    int fits = put(writer, shown, strlen(shown));
    PyMem_Free(shown);
    return fits;
}

static char *
two(char *out, int number)
{
    out[0] = (char)('0' + number / 10);
    out[1] = (char)('0' + number % 10);
    return out + 2;
}

static char *
day_put(char *out, int year, int month, int day)
{
    out = two(two(out, year / 100), year % 100);
    *out++ = '-';
    out = two(out, month);
    *out++ = '-';
    return two(out, day);
}

static int
put_moment(Writer *writer, PyObject *value, int form)
{
    char text[40], *out = text;
    *out++ = '"';
    if (form == OUT_DAY) {
        if (!PyDate_CheckExact(value))
            return 0;
        out = day_put(out, PyDateTime_GET_YEAR(value), PyDateTime_GET_MONTH(value), PyDateTime_GET_DAY(value));
    } else {
        PyObject *zone = form == OUT_MOMENT ? PyDateTime_TimeZone_UTC : Py_None;
        if (!PyDateTime_CheckExact(value) || PyDateTime_DATE_GET_TZINFO(value) != zone)
            return 0;
        out = day_put(out, PyDateTime_GET_YEAR(value), PyDateTime_GET_MONTH(value), PyDateTime_GET_DAY(value));
        *out++ = 'T';
        out = two(out, PyDateTime_DATE_GET_HOUR(value));
        *out++ = ':';
        out = two(out, PyDateTime_DATE_GET_MINUTE(value));
        *out++ = ':';
        out = two(out, PyDateTime_DATE_GET_SECOND(value));
        int micro = PyDateTime_DATE_GET_MICROSECOND(value);
        if (micro) {
            *out++ = '.';
            out = two(two(two(out, micro / 10000), micro / 100 % 100), micro % 100);
        }
        if (form == OUT_MOMENT)
            *out++ = 'Z';
    }
    *out++ = '"';
    return put(writer, text, (size_t)(out - text));
}

static int
put_uuid(Writer *writer, PyObject *value)
{
    State *state = writer->state;
    if ((PyObject *)Py_TYPE(value) != state->UUID)
        return 0;
    PyObject *number = *(PyObject **)((char *)value + state->uuid_int);
    if (number == NULL || !PyLong_CheckExact(number))
        return 0;
    PyObject *shift = PyLong_FromLong(64), *high = shift ? PyNumber_Rshift(number, shift) : NULL;
    Py_XDECREF(shift);
    if (high == NULL)
        return 0;
    unsigned long long halves[2] = {PyLong_AsUnsignedLongLongMask(high), PyLong_AsUnsignedLongLongMask(number)};
    Py_DECREF(high);
    char text[38], *out = text;
    *out++ = '"';
    for (int each = 0; each < 32; each++) {
        if (each == 8 || each == 12 || each == 16 || each == 20)
            *out++ = '-';
        *out++ = "0123456789abcdef"[halves[each >> 4] >> (60 - 4 * (each & 15)) & 15];
    }
    *out++ = '"';
    return put(writer, text, sizeof(text));
}

static int
put_exact(Writer *writer, PyObject *value)
{
    if ((PyObject *)Py_TYPE(value) != writer->state->Decimal)
        return PyLong_CheckExact(value) && !writer->plan->checked && put_digits_of(writer, value);
    PyObject *finite = PyObject_CallMethod(value, "is_finite", NULL);
    Py_XDECREF(finite); /* True and False outlive it */
    return finite == Py_True && put_shown(writer, PyObject_Str(value));
}

static int
enters(Writer *writer, const void *here)
{
    ptrdiff_t used = writer->stack - (const char *)here;
    return ++writer->depth <= writer->plan->depth && used < STACK_ROOM && used > -STACK_ROOM;
}

static int
ticks(Writer *writer)
{
    return ++writer->ticks % TICK || others_let_in(&writer->last);
}

/* Items of a list or tuple: one node for all, or one for each of the first. */
static int
put_items(Writer *writer, const OutNode *node, PyObject *value)
{
    int list = PyList_CheckExact(value);
    if (!list && !PyTuple_CheckExact(value))
        return 0;
    if (node != NULL && list != (node->form == OUT_LIST && node->into == INTO_LIST))
        return 0; /* of another class than it was declared: Python knows */
    Py_ssize_t count = list ? PyList_GET_SIZE(value) : PyTuple_GET_SIZE(value);
    if (node != NULL && node->form == OUT_FIXED &&
        (node->inner == NULL ? count != (Py_ssize_t)node->count : count < (Py_ssize_t)node->count))
        return 0;
    if (node != NULL && count > writer->plan->items)
        return 0;
    int fits = enters(writer, &list) && put_sign(writer, '[');
    for (Py_ssize_t each = 0; fits && each < count; each++) {
        if (list && PyList_GET_SIZE(value) != count)
            return 0;
        PyObject *item = Py_NewRef(list ? PyList_GET_ITEM(value, each) : PyTuple_GET_ITEM(value, each));
        const OutNode *of = node == NULL                                                  ? NULL
                            : node->form == OUT_FIXED && each < (Py_ssize_t)node->count ? node->many[each]
                                                                                          : node->inner;
        fits = (each == 0 || put_sign(writer, ',')) && ticks(writer) && written(writer, of, item);
        Py_DECREF(item);
    }
    writer->depth--;
    return fits && put_sign(writer, ']');
}

static int
put_entries(Writer *writer, const OutNode *inner, PyObject *value)
{
    if (!PyDict_CheckExact(value) || (inner != NULL && PyDict_GET_SIZE(value) > writer->plan->items))
        return 0;
    Py_ssize_t count = PyDict_GET_SIZE(value), position = 0;
    PyObject *key, *held;
    int fits = enters(writer, &count) && put_sign(writer, '{'), first = 1;
    while (fits && PyDict_Next(value, &position, &key, &held)) {
        Py_INCREF(key);
        Py_INCREF(held);
        fits = (first || put_sign(writer, ',')) && ticks(writer) && put_text(writer, key) && put_sign(writer, ':') &&
               written(writer, inner, held);
        first = 0;
        Py_DECREF(key);
        Py_DECREF(held);
        if (PyDict_GET_SIZE(value) != count)
            fits = 0;
    }
    writer->depth--;
    return fits && put_sign(writer, '}');
}

static PyObject *
field_of(const OutRecord *record, const OutField *field, PyObject *value)
{
    PyObject *held;
    switch (record->form) {
    case BUILT_DICT:
        held = PyDict_GetItemWithError(value, field->attribute);
        return Py_XNewRef(held);
    case BUILT_TUPLE:
        return field->place < PyTuple_GET_SIZE(value) ? Py_NewRef(PyTuple_GET_ITEM(value, field->place)) : NULL;
    default:
        if (field->place) {
            held = *(PyObject **)((char *)value + field->place);
            return Py_XNewRef(held);
        }
        return PyObject_GetAttr(value, field->attribute);
    }
}

static int put_node(Writer *writer, const OutNode *node, PyObject *value);

/* A value in its final form, once its steps have run and its rules hold: a new reference. */
static PyObject *
final_of(const OutNode *node, PyObject *value)
{
    while (node->form == OUT_NULLABLE && value != Py_None)
        node = node->inner;
    return parts_run(node->parts, node->parts_count, Py_NewRef(value));
}

/* The fields of a record, each brought into its final form and kept, where something is asked of them together. */
static int
put_fields(Writer *writer, const OutRecord *record, PyObject *value, PyObject **values)
{
    Py_ssize_t known = 0;
    int first = 1;
    for (uint32_t each = 0; each < record->count; each++) {
        const OutField *field = &record->fields[each];
        PyObject *held = field_of(record, field, value);
        if (held == NULL) {
            if (!field->may_lack || PyErr_Occurred())
                return 0;
            if (values != NULL)
                values[each] = Py_NewRef(writer->state->ABSENT);
            continue;
        }
        known++;
        PyObject *final = final_of(field->node, held);
        Py_DECREF(held);
        if (final == NULL)
            return 0;
        size_t before = writer->length;
        int fits = (first || field->silent || put_sign(writer, ',')) &&
                   put(writer, PyBytes_AS_STRING(field->name), (size_t)PyBytes_GET_SIZE(field->name)) &&
                   put_node(writer, field->node, final);
        if (field->silent)
            writer->length = before;
        else
            first = 0;
        if (values != NULL)
            values[each] = final;
        else
            Py_DECREF(final);
        if (!fits)
            return 0;
    }
    return record->form != BUILT_DICT || !writer->plan->checked || known == PyDict_GET_SIZE(value);
}

static int
put_record(Writer *writer, const OutRecord *record, PyObject *value)
{
    if (Py_TYPE(value) != record->type)
        return 0;
    PyObject *few[FEW], **values = NULL;
    if (record->judging.rules_count) {
        values = record->count <= FEW ? few : PyMem_Malloc(record->count * sizeof(PyObject *));
        if (values == NULL) {
            PyErr_NoMemory();
            return 0;
        }
        for (uint32_t each = 0; each < record->count; each++)
            values[each] = NULL;
    }
    int fits = enters(writer, &record) && ticks(writer) && put_sign(writer, '{') &&
               put_fields(writer, record, value, values) && (values == NULL || rules_hold(&record->judging, values)) &&
               checks_hold(&record->judging, value);
    writer->depth--;
    if (values != NULL)
        for (uint32_t each = 0; each < record->count; each++)
            Py_XDECREF(values[each]);
    if (values != NULL && values != few)
        PyMem_Free(values);
    return fits && put_sign(writer, '}');
}

/* Plain data of any sort. */
static int
put_plain(Writer *writer, PyObject *value)
{
    if (value == Py_None)
        return put(writer, "null", 4);
    if (PyBool_Check(value))
        return value == Py_True ? put(writer, "true", 4) : put(writer, "false", 5);
    if (PyUnicode_CheckExact(value))
        return put_text(writer, value);
    if (PyLong_CheckExact(value))
        return put_digits_of(writer, value);
    if (PyFloat_CheckExact(value))
        return put_number(writer, value);
    if (PyDict_CheckExact(value))
        return put_entries(writer, NULL, value);
    if (PyList_CheckExact(value))
        return put_items(writer, NULL, value);
    return put_exact(writer, value);
}

int
written(Writer *writer, const OutNode *node, PyObject *value)
{
    if (node == NULL)
        return put_plain(writer, value);
    PyObject *final = final_of(node, value);
    if (final == NULL)
        return 0;
    int fits = put_node(writer, node, final);
    Py_DECREF(final);
    return fits;
}

/* A value in its final form. */
static int
put_node(Writer *writer, const OutNode *node, PyObject *value)
{
    switch (node->form) {
    case OUT_PLAIN: {
        PyObject *plain = PyObject_CallOneArg(node->constant, value);
        if (plain == NULL)
            return 0;
        int fits = (PyObject *)Py_TYPE(plain) != writer->state->Stop && put_plain(writer, plain);
        Py_DECREF(plain);
        return fits;
    }
    case OUT_AS_IT_IS:
        return put_plain(writer, value);
    case OUT_TEXT:
        return put_text(writer, value);
    case OUT_WHOLE:
        return put_whole(writer, value);
    case OUT_NUMBER:
        return put_number(writer, value);
    case OUT_TRUTH:
        return PyBool_Check(value) && put_plain(writer, value);
    case OUT_NULL:
        return value == Py_None && put_plain(writer, value);
    case OUT_MOMENT:
    case OUT_LOCAL_MOMENT:
    case OUT_DAY:
        return put_moment(writer, value, node->form);
    case OUT_UUID:
        return put_uuid(writer, value);
    case OUT_EXACT:
        return put_exact(writer, value);
    case OUT_CHOICE: {
        if (Py_TYPE(value) != node->kind)
            return 0;
        PyObject *told = PyDict_GetItemWithError(node->constant, value);
        return told != NULL && put(writer, PyBytes_AS_STRING(told), (size_t)PyBytes_GET_SIZE(told));
    }
    case OUT_LIST:
    case OUT_FIXED:
        return put_items(writer, node, value);
    case OUT_DICT:
        return put_entries(writer, node->inner, value);
    case OUT_UNION:
        for (uint32_t each = 0; each < node->count; each++)
            if ((PyObject *)Py_TYPE(value) == node->classes[each])
                return written(writer, node->many[each], value);
        return 0;
    case OUT_NULLABLE:
        return value == Py_None ? put(writer, "null", 4) : put_node(writer, node->inner, value);
    case OUT_RECORD:
        return put_record(writer, node->record, value);
    default: /* OUT_SAME */
        return enters(writer, &node) && written(writer, node->inner, value) && writer->depth-- > 0;
    }
}

int
out_begin(void)
{
    PyDateTime_IMPORT;
    return PyDateTimeAPI != NULL;
}
