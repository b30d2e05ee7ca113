/* Single values, rules and steps: what is common to decoded data and raw text. */

#include "core.h"

#include <datetime.h>
#include <math.h>
#include <string.h>
#include <time.h>

#define STACK_ROOM (56 * 1024) /* bytes of stack for one reading: threads may have little */
#define TICK 1024

#define TURN 6 /* milliseconds: more than the 5 for which another thread waits before it asks for its turn */

int
others_let_in(uint64_t *last)
{
    struct timespec now;
    if (PyErr_CheckSignals() < 0)
        return 0;
    timespec_get(&now, TIME_UTC);
    uint64_t time = (uint64_t)now.tv_sec * 1000 + (uint64_t)now.tv_nsec / 1000000;
    if (*last == 0) {
        *last = time;
    } else if (time - *last >= TURN) {
        /* Not more often: each time would wake those that wait, and they would begin to wait anew. */
        Py_BEGIN_ALLOW_THREADS
        Py_END_ALLOW_THREADS
        *last = time;
    }
    return 1;
}

int
tick(Reader *reader)
{
    return ++reader->ticks % TICK || others_let_in(&reader->last);
}

int
enter(Reader *reader, const void *here)
{
    ptrdiff_t used = reader->stack - (const char *)here;
    if (++reader->depth > reader->plan->depth || used > STACK_ROOM || used < -STACK_ROOM) {
        reader->depth--;
        return 0;
    }
    return 1;
}

PyObject *
answer_of(Reader *reader, PyObject *made)
{
    if (made != NULL && (PyObject *)Py_TYPE(made) == reader->state->Stop) {
        Py_DECREF(made);
        return NULL;
    }
    return made;
}

int
has_surrogates(PyObject *text)
{
    if (PyUnicode_IS_ASCII(text) || PyUnicode_KIND(text) == PyUnicode_1BYTE_KIND)
        return 0;
    Py_ssize_t length = PyUnicode_GET_LENGTH(text);
    int kind = PyUnicode_KIND(text);
    const void *data = PyUnicode_DATA(text);
    for (Py_ssize_t each = 0; each < length; each++)
        if (Py_UNICODE_IS_SURROGATE(PyUnicode_READ(kind, data, each)))
            return 1;
    return 0;
}

/* Comparisons: 1 and 0, -1 for an exception. */

static int
compared(const Part *part, PyObject *value, int sign)
{
    if (PyFloat_CheckExact(value) && part->real) {
        double held = PyFloat_AS_DOUBLE(value);
        switch (sign) {
        case Py_GT: return held > part->number;
        case Py_GE: return held >= part->number;
        case Py_LT: return held < part->number;
        case Py_LE: return held <= part->number;
        default: return held == part->number;
        }
    }
    if (PyLong_CheckExact(value) && part->whole) {
        int overflow;
        long long held = PyLong_AsLongLongAndOverflow(value, &overflow);
        if (held == -1 && !overflow && PyErr_Occurred())
            return -1;
        if (!overflow)
            switch (sign) {
            case Py_GT: return held > part->low;
            case Py_GE: return held >= part->low;
            case Py_LT: return held < part->low;
            case Py_LE: return held <= part->low;
            default: return held == part->low;
            }
    }
    return PyObject_RichCompareBool(value, part->constant, sign);
}

static int
asked(PyObject *function, PyObject *value)
{
    PyObject *said = PyObject_CallOneArg(function, value);
    if (said == NULL)
        return -1;
    int holds = said == Py_True ? 1 : said == Py_False ? 0 : PyObject_IsTrue(said);
    Py_DECREF(said);
    return holds;
}

static int
multiple(const Part *part, PyObject *value)
{
    if (PyLong_CheckExact(value)) {
        int overflow;
        long long held = PyLong_AsLongLongAndOverflow(value, &overflow);
        if (held == -1 && !overflow && PyErr_Occurred())
            return -1;
        if (!overflow)
            return held % part->low == 0;
    }
    return asked(part->function, value);
}

static int
matches(const Part *part, PyObject *value)
{
    if (PyUnicode_CheckExact(value) && PyUnicode_IS_ASCII(value)) {
        int said = table_admits(part->table, PyUnicode_1BYTE_DATA(value), PyUnicode_GET_LENGTH(value));
        if (said == 1 || (said == 0 && part->flag))
            return said;
    }
    return asked(part->function, value);
}

static int
holds(const Part *part, PyObject *value)
{
    switch (part->form) {
    case FORM_LENGTH: {
        Py_ssize_t length = PyUnicode_Check(value) ? PyUnicode_GET_LENGTH(value) : PyObject_Size(value);
        return length < 0 ? -1 : length >= part->low && length <= part->high;
    }
    case FORM_LENGTH_BARRED: {
        Py_ssize_t length = PyObject_Size(value);
        return length < 0 ? -1 : length != part->low;
    }
    case FORM_FLOOR:
        return compared(part, value, part->flag ? Py_GE : Py_GT);
    case FORM_CEILING:
        return compared(part, value, part->flag ? Py_LE : Py_LT);
    case FORM_EQUAL: {
        int same = compared(part, value, Py_EQ);
        return same < 0 ? -1 : same == part->flag;
    }
    case FORM_ONE_OF:
        return PySet_Contains(part->constant, value);
    case FORM_STARTS_WITH:
    case FORM_ENDS_WITH: {
        Py_ssize_t found =
            PyUnicode_Tailmatch(value, part->constant, 0, PY_SSIZE_T_MAX, part->form == FORM_STARTS_WITH ? -1 : 1);
        return (int)found;
    }
    case FORM_PATTERN:
        return matches(part, value);
    case FORM_MULTIPLE:
        return multiple(part, value);
    default:
        return asked(part->function, value);
    }
}

/* Steps: each takes its value over. */

static PyObject *
stepped(const Part *part, PyObject *value)
{
    PyObject *made = PyObject_CallOneArg(part->function, value);
    Py_DECREF(value);
    return made;
}

static PyObject *
trimmed(const Part *part, PyObject *value)
{
    if (!PyUnicode_CheckExact(value) || !PyUnicode_IS_ASCII(value))
        return stepped(part, value);
    const Py_UCS1 *signs = PyUnicode_1BYTE_DATA(value);
    Py_ssize_t first = 0, last = PyUnicode_GET_LENGTH(value);
#define IS_BLANK(sign) ((sign) == ' ' || ((sign) >= '\t' && (sign) <= '\r'))
    while (first < last && IS_BLANK(signs[first]))
        first++;
    while (last > first && IS_BLANK(signs[last - 1]))
        last--;
    if (first == 0 && last == PyUnicode_GET_LENGTH(value))
        return value;
    PyObject *made = PyUnicode_Substring(value, first, last);
    Py_DECREF(value);
    return made;
}

static PyObject *
cased(const Part *part, PyObject *value)
{
    if (!PyUnicode_CheckExact(value) || !PyUnicode_IS_ASCII(value))
        return stepped(part, value);
    const Py_UCS1 *signs = PyUnicode_1BYTE_DATA(value);
    Py_ssize_t length = PyUnicode_GET_LENGTH(value), each = 0;
    unsigned char first = part->form == FORM_UPPERED ? 'a' : 'A';
    while (each < length && (unsigned char)(signs[each] - first) > 25)
        each++;
    if (each == length)
        return value;
    PyObject *made = PyUnicode_New(length, 127);
    if (made != NULL) {
        Py_UCS1 *out = PyUnicode_1BYTE_DATA(made);
        for (each = 0; each < length; each++)
            out[each] = (Py_UCS1)((unsigned char)(signs[each] - first) > 25 ? signs[each] : signs[each] ^ 0x20);
    }
    Py_DECREF(value);
    return made;
}

PyObject *
parts_run(const Part *parts, uint32_t count, PyObject *value)
{
    for (const Part *part = parts; part < parts + count && value != NULL; part++) {
        switch (part->form) {
        case FORM_STEP:
            value = stepped(part, value);
            break;
        case FORM_TRIMMED:
            value = trimmed(part, value);
            break;
        case FORM_LOWERED:
        case FORM_UPPERED:
            value = cased(part, value);
            break;
        default:
            if (holds(part, value) != 1)
                Py_CLEAR(value);
        }
    }
    return value;
}

PyObject *
with_parts(Reader *reader, const Node *node, PyObject *value)
{
    (void)reader;
    return parts_run(node->parts, node->parts_count, value);
}

/* Single values */

static PyObject *
zone_of(int minutes)
{
    if (minutes == 0)
        return Py_NewRef(PyDateTime_TimeZone_UTC);
    PyObject *away = PyDelta_FromDSU(0, minutes * 60, 0);
    if (away == NULL)
        return NULL;
    PyObject *zone = PyTimeZone_FromOffset(away);
    Py_DECREF(away);
    return zone;
}

PyObject *
moment_made(Reader *reader, const Node *node, Bytes at, Py_ssize_t length)
{
    Moment moment;
    (void)reader;
    if (node->form == FORM_DAY) {
        moment = (Moment){0};
        return day_from(at, length, &moment) ? PyDate_FromDate(moment.year, moment.month, moment.day) : NULL;
    }
    if (!moment_from(at, length, &moment))
        return NULL;
    PyObject *zone;
    if (node->form == FORM_LOCAL_MOMENT) {
        if (moment.zoned || at[10] != 'T')
            return NULL;
        zone = Py_NewRef(Py_None);
    } else {
        if (!moment.zoned || (node->form == FORM_UTC_MOMENT && moment.offset != 0))
            return NULL;
        zone = zone_of(moment.offset);
        if (zone == NULL)
            return NULL;
    }
    PyObject *made = PyDateTimeAPI->DateTime_FromDateAndTime(
        moment.year, moment.month, moment.day, moment.hour, moment.minute, moment.second, moment.microsecond, zone,
        PyDateTimeAPI->DateTimeType);
    Py_DECREF(zone);
    return made;
}

PyObject *
uuid_made(Reader *reader, Bytes at, Py_ssize_t length)
{
    State *state = reader->state;
    unsigned char bytes[16];
    if (!uuid_from(at, length, bytes))
        return NULL;
    PyTypeObject *type = (PyTypeObject *)state->UUID;
#if PY_VERSION_HEX >= 0x030D0000
    PyObject *number = PyLong_FromUnsignedNativeBytes(bytes, 16, Py_ASNATIVEBYTES_BIG_ENDIAN);
#else
    PyObject *number = _PyLong_FromByteArray(bytes, 16, 0, 0);
#endif
    if (number == NULL)
        return NULL;
    PyObject *made = type->tp_alloc(type, 0);
    if (made == NULL) {
        Py_DECREF(number);
        return NULL;
    }
    *(PyObject **)((char *)made + state->uuid_int) = number;
    *(PyObject **)((char *)made + state->uuid_safe) = Py_NewRef(state->safe);
    return made;
}

static PyObject *
called(Reader *reader, PyObject *function, PyObject *plain)
{
    return answer_of(reader, PyObject_CallOneArg(function, plain));
}

/* Whether it is a float that holds what it says: of subclasses only the package's own, which remembers its digits. */
static int
is_float(Reader *reader, PyObject *plain)
{
    return PyFloat_CheckExact(plain) || (PyObject *)Py_TYPE(plain) == reader->state->Digits;
}

static PyObject *
whole_from(Reader *reader, PyObject *plain)
{
    if (PyLong_CheckExact(plain))
        return Py_NewRef(plain);
    if (is_float(reader, plain)) {
        double held = PyFloat_AS_DOUBLE(plain);
        if (held - held == 0.0 && held == floor(held))
            return PyLong_FromDouble(held);
    }
    return NULL;
}

static PyObject *
number_from(Reader *reader, PyObject *plain)
{
    if (is_float(reader, plain)) {
        double held = PyFloat_AS_DOUBLE(plain);
        if (held - held != 0.0)
            return NULL;
        return PyFloat_CheckExact(plain) ? Py_NewRef(plain) : PyFloat_FromDouble(held);
    }
    if (!PyLong_CheckExact(plain))
        return NULL;
    double held = PyLong_AsDouble(plain);
    if (held == -1.0 && PyErr_Occurred()) {
        if (PyErr_ExceptionMatches(PyExc_OverflowError))
            PyErr_Clear();
        return NULL;
    }
    return PyFloat_FromDouble(held);
}

static PyObject *
exact_from(Reader *reader, const Node *node, PyObject *plain)
{
    PyObject *Decimal = reader->state->Decimal;
    if (PyLong_CheckExact(plain)) {
        int overflow;
        (void)PyLong_AsLongLongAndOverflow(plain, &overflow);
        if (!overflow)
            return PyObject_CallOneArg(Decimal, plain);
    } else if (PyFloat_CheckExact(plain)) {
        double held = PyFloat_AS_DOUBLE(plain);
        if (held - held != 0.0)
            return NULL;
        PyObject *digits = PyObject_Repr(plain);
        if (digits == NULL)
            return NULL;
        PyObject *made = PyObject_CallOneArg(Decimal, digits);
        Py_DECREF(digits);
        return made;
    }
    return called(reader, node->constant, plain);
}

static PyObject *
text_from(PyObject *plain)
{
    return PyUnicode_CheckExact(plain) && !has_surrogates(plain) ? Py_NewRef(plain) : NULL;
}

int
stands_for_nothing(Reader *reader, PyObject *value)
{
    if (PyUnicode_CheckExact(value) && PyUnicode_GET_LENGTH(value)) {
        Py_UCS4 first = PyUnicode_READ_CHAR(value, 0);
        if (first > ' ' && first <= '~')
            return 0;
    }
    return asked(reader->state->is_blank, value);
}

/* A number, or true or false, as text: the commonest forms; for others the reader is asked. */
static PyObject *
read_text_of(const Node *node, PyObject *text)
{
    if (!PyUnicode_IS_ASCII(text))
        return NULL;
    Bytes at = PyUnicode_1BYTE_DATA(text), end = at + PyUnicode_GET_LENGTH(text);
    if (node->form == FORM_TRUTH_IN_TEXT) {
        if (end - at == 4 && memcmp(at, "true", 4) == 0)
            return Py_NewRef(Py_True);
        return end - at == 5 && memcmp(at, "false", 5) == 0 ? Py_NewRef(Py_False) : NULL;
    }
    Number number = number_at(at, end);
    if (number.end != end || (*at == '-' && number.whole && number.integer == 0))
        return NULL;
    if (node->form == FORM_WHOLE_IN_TEXT)
        return number.whole && number.fits ? PyLong_FromLongLong(number.integer) : NULL;
    if (number.whole && number.fits && number.integer < (1LL << 53) && number.integer > -(1LL << 53))
        return PyFloat_FromDouble((double)number.integer);
    return number.exact ? PyFloat_FromDouble(number.number) : NULL;
}

/* A value of a kind, of plain data, before its rules and steps. */
static PyObject *
read_single(Reader *reader, const Node *node, PyObject *plain)
{
    switch (node->form) {
    case FORM_TEXT:
        return text_from(plain);
    case FORM_WHOLE:
        return whole_from(reader, plain);
    case FORM_NUMBER:
        return number_from(reader, plain);
    case FORM_TRUTH:
        return PyBool_Check(plain) ? Py_NewRef(plain) : NULL;
    case FORM_NULL:
        return plain == Py_None ? Py_NewRef(plain) : NULL;
    case FORM_EXACT:
        return exact_from(reader, node, plain);
    case FORM_MOMENT:
    case FORM_UTC_MOMENT:
    case FORM_LOCAL_MOMENT:
    case FORM_DAY:
    case FORM_UUID: {
        if (!PyUnicode_CheckExact(plain))
            return NULL;
        if (!PyUnicode_IS_ASCII(plain))
            return NULL;
        Bytes at = PyUnicode_1BYTE_DATA(plain);
        Py_ssize_t length = PyUnicode_GET_LENGTH(plain);
        PyObject *made =
            node->form == FORM_UUID ? uuid_made(reader, at, length) : moment_made(reader, node, at, length);
        /* A rare form, such as a leap second: the reader knows. */
        return made != NULL || PyErr_Occurred() ? made : called(reader, node->constant, plain);
    }
    case FORM_WHOLE_IN_TEXT:
    case FORM_NUMBER_IN_TEXT:
    case FORM_TRUTH_IN_TEXT: {
        if (!PyUnicode_CheckExact(plain))
            return NULL;
        PyObject *made = read_text_of(node, plain);
        return made != NULL || PyErr_Occurred() ? made : called(reader, node->constant, plain);
    }
    case FORM_TEXT_FORM:
        if (!PyUnicode_CheckExact(plain))
            return NULL;
        return called(reader, PyUnicode_IS_ASCII(plain) ? node->constant : node->other, plain);
    case FORM_CHOICE: {
        if (!PyUnicode_CheckExact(plain))
            return NULL;
        PyObject *made = PyDict_GetItemWithError(node->constant, plain);
        return Py_XNewRef(made);
    }
    default: /* FORM_CALL */
        if (node->deep && is_deeper(reader, plain, reader->plan->depth - reader->depth))
            return NULL;
        return called(reader, node->constant, plain);
    }
}

const Node *
option_of(const Node *node, uint8_t class)
{
    for (uint32_t each = 0; each < node->count; each++)
        if (node->classes[each] & class)
            return node->many[each];
    return NULL;
}

PyObject *
single_from_plain(Reader *reader, const Node *node, PyObject *plain)
{
    /* In all-text data a key may come several times, as a list: here once. */
    if (reader->plan->text && !(node->form == FORM_CALL && node->flag) && PyList_CheckExact(plain) &&
        PyList_GET_SIZE(plain) == 1) {
        PyObject *alone = Py_NewRef(PyList_GET_ITEM(plain, 0));
        PyObject *held = read_single(reader, node, alone);
        Py_DECREF(alone);
        return held == NULL || node->parts_count == 0 ? held : with_parts(reader, node, held);
    }
    PyObject *made = read_single(reader, node, plain);
    return made == NULL || node->parts_count == 0 ? made : with_parts(reader, node, made);
}

PyObject *
gathered_as(Reader *reader, const Node *node, PyObject *list)
{
    PyObject *made = list;
    if (node->flag == INTO_TUPLE) {
        made = PyList_AsTuple(list);
        Py_DECREF(list);
    } else if (node->flag == INTO_DEQUE) {
        made = PyObject_CallOneArg(node->constant, list);
        Py_DECREF(list);
    } else if (node->flag != INTO_LIST) {
        /* Values whose hashes others can choose are looked at by the function that stands there. */
        int crowd = node->constant == Py_None ? 0 : asked(node->constant, list);
        made = crowd != 0 ? NULL : node->flag == INTO_SET ? PySet_New(list) : PyFrozenSet_New(list);
        if (made != NULL && PySet_GET_SIZE(made) != PyList_GET_SIZE(list))
            Py_CLEAR(made);
        Py_DECREF(list);
    }
    return made == NULL ? NULL : with_parts(reader, node, made);
}

int
moments_compare(PyObject *one, PyObject *other)
{
    if (!PyDateTime_CheckExact(one) || !PyDateTime_CheckExact(other))
        return 0;
    PyDateTime_DateTime *first = (PyDateTime_DateTime *)one, *second = (PyDateTime_DateTime *)other;
    return first->hastzinfo && second->hastzinfo && first->tzinfo == second->tzinfo &&
           first->tzinfo == PyDateTime_TimeZone_UTC;
}

int
moment_holds(PyObject *one, PyObject *other, int sign)
{
    int order = memcmp(((PyDateTime_DateTime *)one)->data, ((PyDateTime_DateTime *)other)->data,
                       _PyDateTime_DATETIME_DATASIZE);
    switch (sign) {
    case Py_LT: return order < 0;
    case Py_LE: return order <= 0;
    case Py_GT: return order > 0;
    case Py_GE: return order >= 0;
    case Py_EQ: return order == 0;
    default: return order != 0;
    }
}

/* The datetime interface of this process. */
int
moments_begin(void)
{
    PyDateTime_IMPORT;
    return PyDateTimeAPI != NULL;
}
