/* Records: what stands in for absent fields, rules between fields, and the making of one. */
#include "core.h"

/* Keys that nobody declared, where they are noted: each a list of the steps to it, from the inside out, each step followed
 * by a number that tells its turn among those beside it. */

static int
step_added(PyObject *entry, PyObject *step, Py_ssize_t order)
{
    PyObject *turn = PyLong_FromSsize_t(order);
    int added = turn != NULL && PyList_Append(entry, step == NULL ? turn : step) == 0 && PyList_Append(entry, turn) == 0;
    Py_XDECREF(turn);
    return added;
}

int
noted_here(Reader *reader, const Record *record, PyObject *key, Py_ssize_t order)
{
    int never = PySet_Contains(record->never_unknown, key);
    if (never != 0)
        return never > 0;
    PyObject *entry = PyList_New(0);
    if (reader->dropped == NULL)
        reader->dropped = PyList_New(0);
    int added = entry != NULL && reader->dropped != NULL && step_added(entry, key, order) &&
                PyList_Append(reader->dropped, entry) == 0;
    Py_XDECREF(entry);
    return added;
}

/* What was noted since `before` stands beneath one more step; without one, beneath its turn. */
int
noted_beneath(Reader *reader, Py_ssize_t before, PyObject *step, Py_ssize_t order)
{
    for (Py_ssize_t each = before; each < noted_count(reader); each++)
        if (!step_added(PyList_GET_ITEM(reader->dropped, each), step, order))
            return 0;
    return 1;
}

/* Fill the fields that did not come. 0 where one must, or where `unknown` keys, which nobody declared, are to be told. */
int
record_lacks(Reader *reader, const Record *record, PyObject **values, Py_ssize_t unknown)
{
    if (unknown && (record->refuses || reader->strangers == DOUBTED))
        return 0;
    for (uint32_t each = 0; each < record->count; each++) {
        if (values[each] != NULL)
            continue;
        const Field *field = &record->fields[each];
        switch (field->lack) {
        case LACK_DEFAULT:
            values[each] = Py_NewRef(field->otherwise);
            break;
        case LACK_FACTORY:
            values[each] = PyObject_CallNoArgs(field->otherwise);
            if (values[each] == NULL)
                return 0;
            break;
        case LACK_ABSENT:
            values[each] = Py_NewRef(reader->state->ABSENT);
            break;
        default:
            return 0;
        }
    }
    return 1;
}

static int
rule_holds(const FieldsRule *rule, PyObject **values)
{
    if (rule->form == RULE_COMPARE && moments_compare(values[rule->fields[0]], values[rule->fields[1]]))
        return moment_holds(values[rule->fields[0]], values[rule->fields[1]], rule->sign);
    if (rule->form == RULE_COMPARE)
        return PyObject_RichCompareBool(values[rule->fields[0]], values[rule->fields[1]], rule->sign) == 1;
    PyObject *few[8] = {NULL}, **given = few;
    if (rule->count > 8) {
        given = PyMem_Malloc(rule->count * sizeof(PyObject *));
        if (given == NULL) {
            PyErr_NoMemory();
            return 0;
        }
    }
    for (uint32_t each = 0; each < rule->count; each++)
        given[each] = values[rule->fields[each]];
    PyObject *said = PyObject_Vectorcall(rule->function, given, rule->count, NULL);
    if (given != few)
        PyMem_Free(given);
    if (said == NULL)
        return 0;
    int holds = PyObject_IsTrue(said) == 1;
    Py_DECREF(said);
    return holds;
}

/* An instance whose slots take the values over. */
static PyObject *
stored_in_slots(const Record *record, PyObject **values)
{
    PyTypeObject *type = (PyTypeObject *)record->builder;
    PyObject *made = type->tp_alloc(type, 0);
    if (made == NULL)
        return NULL;
    for (uint32_t each = 0; each < record->count; each++) {
        PyObject **slot = (PyObject **)((char *)made + record->fields[each].offset);
        PyObject *before = *slot;
        *slot = values[each];
        values[each] = NULL;
        Py_XDECREF(before);
    }
    return made;
}

static PyObject *
stored(Reader *reader, const Record *record, PyObject **values)
{
    PyTypeObject *type = (PyTypeObject *)record->builder;
    PyObject *nothing = PyTuple_New(0);
    if (nothing == NULL)
        return NULL;
    PyObject *made = PyBaseObject_Type.tp_new(type, nothing, NULL);
    Py_DECREF(nothing);
    (void)reader;
    for (uint32_t each = 0; made != NULL && each < record->count; each++)
        if (PyObject_GenericSetAttr(made, record->fields[each].attribute, values[each]) < 0)
            Py_CLEAR(made);
    return made;
}

static PyObject *
in_dict(Reader *reader, const Record *record, PyObject **values)
{
    PyObject *made = PyDict_New();
    /* First what is always there, then what may be absent. */
    for (int absent = 0; absent < 2; absent++)
        for (uint32_t each = 0; made != NULL && each < record->count; each++)
            if ((record->fields[each].lack == LACK_ABSENT) == absent && values[each] != reader->state->ABSENT &&
                PyDict_SetItem(made, record->fields[each].attribute, values[each]) < 0)
                Py_CLEAR(made);
    return made;
}

int
rules_hold(const Judging *judging, PyObject **values)
{
    for (uint32_t each = 0; each < judging->rules_count; each++)
        if (!rule_holds(&judging->rules[each], values))
            return 0;
    return 1;
}

int
checks_hold(const Judging *judging, PyObject *record)
{
    for (uint32_t each = 0; each < judging->checks_count; each++) {
        PyObject *said = PyObject_CallOneArg(judging->checks[each], record);
        int no = said == NULL || (said != Py_None && PyObject_IsTrue(said) != 1);
        Py_XDECREF(said);
        if (no)
            return 0;
    }
    return 1;
}

PyObject *
record_made(Reader *reader, const Record *record, PyObject **values)
{
    if (!rules_hold(&record->judging, values))
        return NULL;
    PyObject *made;
    switch (record->form) {
    case BUILT_STORING:
        made = record->slots ? stored_in_slots(record, values) : stored(reader, record, values);
        break;
    case BUILT_DICT:
        made = in_dict(reader, record, values);
        break;
    case BUILT_TUPLE:
        made = answer_of(reader, PyObject_Vectorcall(record->builder, values, record->count, NULL));
        break;
    default:
        made = answer_of(reader, PyObject_Vectorcall(record->builder, values, 0, record->names));
    }
    if (made != NULL && !checks_hold(&record->judging, made))
        Py_CLEAR(made);
    return made;
}
