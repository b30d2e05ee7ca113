/* The module: `begin` tells it what the package is, `load` makes a plan, and a plan reads. */

#include "out.h"

static int
slot_in(PyObject *type, const char *name, Py_ssize_t *offset)
{
    PyObject *found = PyObject_GetAttrString(type, name);
    if (found == NULL)
        return 0;
    PyMemberDescrObject *member = (PyMemberDescrObject *)found;
    int fits = Py_IS_TYPE(found, &PyMemberDescr_Type) && member->d_member->type == T_OBJECT_EX;
    if (fits)
        *offset = member->d_member->offset;
    else
        PyErr_SetString(PyExc_TypeError, "a UUID that stores its number in another way");
    Py_DECREF(found);
    return fits;
}

/* Whether an exception is let through: all but what tells that a value needs a closer look. */
static int
passes(State *state)
{
    return !PyErr_ExceptionMatches(PyExc_Exception) || PyErr_ExceptionMatches(state->Passing) ||
           PyErr_ExceptionMatches(PyExc_RecursionError) || PyErr_ExceptionMatches(PyExc_MemoryError);
}

static PyObject *
ended(Reader *reader, PyObject *made)
{
    while (reader->held_count) {
        PyObject *item = reader->held[--reader->held_count];
        Py_DECREF(item);
    }
    PyMem_Free(reader->held);
    PyObject *waiting = reader->waiting;
    if (waiting != NULL && made == NULL && !PyErr_Occurred())
        Py_XDECREF(PyObject_CallOneArg(reader->state->hand_over_later, waiting));
    Py_XDECREF(waiting);
    PyObject *dropped = reader->dropped;
    if (made != NULL && dropped != NULL)
        Py_SETREF(made, PyObject_CallFunctionObjArgs(reader->state->noted, made, dropped, NULL));
    Py_XDECREF(dropped);
    if (made != NULL)
        return made;
    if (PyErr_Occurred()) {
        if (passes(reader->state))
            return NULL;
        PyErr_Clear();
    }
    return Py_NewRef(reader->state->UNSURE);
}

static PyObject *
decoded_read(Plan *plan, PyObject *data, int strangers)
{
    int fresh = plan_is_fresh(plan);
    if (fresh != 1)
        return fresh < 0 ? NULL : PyObject_CallOneArg(plan->rewritten, data);
    Reader reader = {.plan = plan, .state = plan->state, .stack = (const char *)&plan, .strangers = strangers};
    Py_INCREF(plan);
    PyObject *made = ended(&reader, from_plain(&reader, plan->root, data));
    Py_DECREF(plan);
    return made;
}

static PyObject *
plan_sound(PyObject *self, PyObject *data)
{
    return decoded_read((Plan *)self, data, ((Plan *)self)->strangers);
}

static PyObject *
plan_noted(PyObject *self, PyObject *data)
{
    return decoded_read((Plan *)self, data, NOTED);
}

/* Raw JSON by a plan: its value, or with `plainly` the plain data that any decoder makes of it. */
static PyObject *
raw_read(Plan *plan, PyObject *raw, int plainly, int strangers)
{
    State *state = plan->state;
    Reader reader = {.plan = plan, .state = state, .stack = (const char *)&plan, .strangers = strangers};
    Py_ssize_t length;
    PyObject *encoded = NULL;
    if ((PyBytes_CheckExact(raw) || PyUnicode_CheckExact(raw)) && PyObject_Size(raw) > plan->bytes)
        return Py_NewRef(state->UNSURE);
    if (PyBytes_CheckExact(raw)) {
        reader.at = (Bytes)PyBytes_AS_STRING(raw);
        length = PyBytes_GET_SIZE(raw);
    } else if (PyUnicode_CheckExact(raw)) {
        if (PyUnicode_IS_ASCII(raw)) {
            reader.at = PyUnicode_1BYTE_DATA(raw);
            length = PyUnicode_GET_LENGTH(raw);
        } else {
            encoded = PyUnicode_AsUTF8String(raw);
            if (encoded == NULL)
                return ended(&reader, NULL);
            reader.at = (Bytes)PyBytes_AS_STRING(encoded);
            length = PyBytes_GET_SIZE(encoded);
        }
    } else {
        return Py_NewRef(state->UNSURE);
    }
    reader.end = reader.at + length;
    if (length >= 3 && memcmp(reader.at, "\xEF\xBB\xBF", 3) == 0) /* RFC 8259, section 8.1: it may be ignored */
        reader.at += 3;
    Py_INCREF(plan);
    Py_INCREF(raw);
    PyObject *made = plainly ? plain_from_raw(&reader) : from_raw(&reader, plan->root);
    if (made != NULL && past_blanks(reader.at, reader.end) != reader.end)
        Py_CLEAR(made);
    made = ended(&reader, made);
    Py_XDECREF(encoded);
    Py_DECREF(raw);
    Py_DECREF(plan);
    return made;
}

static PyObject *
json_read(Plan *plan, PyObject *raw, int strangers)
{
    int fresh = plan_is_fresh(plan);
    if (fresh != 1)
        return fresh < 0 ? NULL : PyObject_CallOneArg(plan->rewritten_json, raw);
    return raw_read(plan, raw, 0, strangers);
}

static PyObject *
plan_sound_json(PyObject *self, PyObject *raw)
{
    return json_read((Plan *)self, raw, ((Plan *)self)->strangers);
}

static PyObject *
plan_noted_json(PyObject *self, PyObject *raw)
{
    return json_read((Plan *)self, raw, NOTED);
}

static PyObject *
plan_plain_json(PyObject *self, PyObject *raw)
{
    return raw_read((Plan *)self, raw, 1, PASSED_OVER);
}

/* The fields of columns by their names, as bytes of 32-bit numbers; None where rows cannot be read so: what is read is no
 * record, two columns are of one field, or columns that nobody declared are to be told. */
static PyObject *
plan_columns(PyObject *self, PyObject *names)
{
    Plan *plan = (Plan *)self;
    if (!PyTuple_CheckExact(names)) {
        PyErr_SetString(PyExc_TypeError, "names are a tuple");
        return NULL;
    }
    if (plan->root->form != FORM_RECORD)
        Py_RETURN_NONE;
    const Record *record = plan->root->record;
    Py_ssize_t count = PyTuple_GET_SIZE(names);
    PyObject *made = PyBytes_FromStringAndSize(NULL, count * (Py_ssize_t)sizeof(int32_t));
    if (made == NULL)
        return NULL;
    for (Py_ssize_t each = 0; each < count; each++) {
        int32_t *columns = (int32_t *)PyBytes_AS_STRING(made), field = -1;
        Py_ssize_t length;
        PyObject *name = PyTuple_GET_ITEM(names, each);
        const char *bytes = PyUnicode_Check(name) ? PyUnicode_AsUTF8AndSize(name, &length) : NULL;
        ptrdiff_t number = bytes == NULL ? -1 : key_at(&record->keys, (Bytes)bytes, length);
        PyErr_Clear();
        if (number >= 0)
            field = (int32_t)record->keys.keys[number].field;
        int odd = field < 0 ? record->refuses || plan->strangers == DOUBTED : record->fields[field].told & FIELD_WITHHELD;
        for (Py_ssize_t other = 0; other < each && field >= 0; other++)
            odd = odd || columns[other] == field;
        if (odd) {
            Py_DECREF(made);
            Py_RETURN_NONE;
        }
        columns[each] = field;
    }
    return made;
}

static PyObject *
plan_sound_row(PyObject *self, PyObject *const *given, Py_ssize_t count)
{
    Plan *plan = (Plan *)self;
    if (count != 2 || !PyBytes_CheckExact(given[0]) || plan->root->form != FORM_RECORD) {
        PyErr_SetString(PyExc_TypeError, "columns, as `columns` gives them, and a row of cells");
        return NULL;
    }
    const int32_t *columns = (const int32_t *)PyBytes_AS_STRING(given[0]);
    Py_ssize_t length = PyBytes_GET_SIZE(given[0]) / (Py_ssize_t)sizeof(int32_t);
    for (Py_ssize_t each = 0; each < length; each++)
        if (columns[each] >= (int32_t)plan->root->record->count) {
            PyErr_SetString(PyExc_ValueError, "a column of no field");
            return NULL;
        }
    int fresh = plan_is_fresh(plan);
    if (fresh != 1)
        return fresh < 0 ? NULL : Py_NewRef(plan->state->UNSURE);
    Reader reader = {.plan = plan, .state = plan->state, .stack = (const char *)&plan, .strangers = plan->strangers};
    Py_INCREF(plan);
    PyObject *made = ended(&reader, from_row(&reader, columns, length, given[1]));
    Py_DECREF(plan);
    return made;
}

static int
plan_traverse(PyObject *self, visitproc visit, void *arg)
{
    AnyPlan *plan = (AnyPlan *)self;
    Py_VISIT(Py_TYPE(self));
    Py_VISIT(plan->constants);
    Py_VISIT(plan->rewritten);
    Py_VISIT(plan->rewritten_json);
    return 0;
}

static int
plan_clear(PyObject *self)
{
    /* What is borrowed from the constants is never looked at again: the plan is unreachable. */
    AnyPlan *plan = (AnyPlan *)self;
    Py_CLEAR(plan->constants);
    Py_CLEAR(plan->rewritten);
    Py_CLEAR(plan->rewritten_json);
    pool_freed(&plan->pool);
    return 0;
}

static void
plan_dealloc(PyObject *self)
{
    PyTypeObject *type = Py_TYPE(self);
    PyObject_GC_UnTrack(self);
    plan_clear(self);
    type->tp_free(self);
    Py_DECREF(type);
}

static PyMethodDef plan_methods[] = {
    {"sound", plan_sound, METH_O, "The value of decoded data that is surely sound, else UNSURE."},
    {"sound_json", plan_sound_json, METH_O, "The value of raw JSON that is surely sound, else UNSURE."},
    {"noted", plan_noted, METH_O, "The same; where keys were dropped that nobody declared, what `noted` makes of both."},
    {"noted_json", plan_noted_json, METH_O, "The same of raw JSON."},
    {"columns", plan_columns, METH_O, "The fields of columns by their names, for `sound_row`; None where there are none."},
    {"sound_row", (PyCFunction)(void (*)(void))plan_sound_row, METH_FASTCALL, "The value of a row that is surely sound."},
    {"plain_json", plan_plain_json, METH_O, "The plain data of sound raw JSON within the limits, else UNSURE."},
    {NULL, NULL, 0, NULL},
};

#define PLAN_SLOTS(doc, methods) \
    { \
        {Py_tp_doc, doc}, {Py_tp_methods, methods}, {Py_tp_traverse, plan_traverse}, {Py_tp_clear, plan_clear}, \
        {Py_tp_dealloc, plan_dealloc}, {0, NULL}, \
    }
#define PLAN_SPEC(called, of, its_slots) \
    { \
        .name = "dutiful_gate_native." called, .basicsize = sizeof(of), .slots = its_slots, \
        .flags = Py_TPFLAGS_DEFAULT | Py_TPFLAGS_HAVE_GC | Py_TPFLAGS_DISALLOW_INSTANTIATION | Py_TPFLAGS_IMMUTABLETYPE, \
    }

static PyType_Slot plan_slots[] = PLAN_SLOTS("What data is read by: a plan, checked once.", plan_methods);
static PyType_Spec plan_spec = PLAN_SPEC("Plan", Plan, plan_slots);

/* The way out: the JSON of a sound value, None where that is in doubt. */
static PyObject *
out_plan_json(PyObject *self, PyObject *value)
{
    OutPlan *plan = (OutPlan *)self;
    Writer writer = {.plan = plan, .state = plan->state, .stack = (const char *)&plan};
    PyObject *made = NULL;
    Py_INCREF(plan);
    if (written(&writer, plan->root, value))
        made = PyBytes_FromStringAndSize(writer.bytes, (Py_ssize_t)writer.length);
    PyMem_Free(writer.bytes);
    if (made == NULL && PyErr_Occurred() && !passes(plan->state))
        PyErr_Clear();
    Py_DECREF(plan);
    return made != NULL || PyErr_Occurred() ? made : Py_NewRef(Py_None);
}

static PyMethodDef out_plan_methods[] = {
    {"json", out_plan_json, METH_O, "The JSON of a sound value, None where it is in doubt."},
    {NULL, NULL, 0, NULL},
};

static PyType_Slot out_plan_slots[] = PLAN_SLOTS("What sound values are written by: a plan, checked once.", out_plan_methods);
static PyType_Spec out_plan_spec = PLAN_SPEC("OutPlan", OutPlan, out_plan_slots);

static PyObject *
begin(PyObject *module, PyObject *arguments)
{
    State *state = PyModule_GetState(module);
    State told = {0};
    Py_ssize_t count = 0;
#define TOLD(name) told.name = count < PyTuple_GET_SIZE(arguments) ? PyTuple_GET_ITEM(arguments, count) : NULL; count++;
    KNOWN(TOLD)
    if (count != PyTuple_GET_SIZE(arguments) || !PyType_Check(told.Stop) || !PyType_Check(told.UUID)) {
        PyErr_Format(PyExc_TypeError, "begin is told %zd things, classes among them", count);
        return NULL;
    }
    if (!slot_in(told.UUID, "int", &state->uuid_int) || !slot_in(told.UUID, "is_safe", &state->uuid_safe))
        return NULL;
#define KEPT(name) Py_XSETREF(state->name, Py_NewRef(told.name));
    KNOWN(KEPT)
    Py_RETURN_NONE;
}

static PyObject *
loaded(PyObject *module, PyObject *arguments, PyObject *plan(State *, PyObject *))
{
    State *state = PyModule_GetState(module);
    if (state->Stop != NULL)
        return plan(state, arguments);
    PyErr_SetString(PyExc_RuntimeError, "begin comes before plans are loaded");
    return NULL;
}

static PyObject *
load(PyObject *module, PyObject *arguments)
{
    return loaded(module, arguments, plan_loaded);
}

static PyObject *
load_out(PyObject *module, PyObject *arguments)
{
    return loaded(module, arguments, out_plan_loaded);
}

static int
executed(PyObject *module)
{
    State *state = PyModule_GetState(module);
    if (!moments_begin() || !out_begin())
        return -1;
    state->OutPlanType = (PyTypeObject *)PyType_FromModuleAndSpec(module, &out_plan_spec, NULL);
    if (state->OutPlanType == NULL)
        return -1;
    state->PlanType = (PyTypeObject *)PyType_FromModuleAndSpec(module, &plan_spec, NULL);
    if (state->PlanType == NULL || PyModule_AddIntConstant(module, "plan_version", PLAN_VERSION) < 0)
        return -1;
    return PyModule_AddObjectRef(module, "Plan", (PyObject *)state->PlanType);
}

static int
module_traverse(PyObject *module, visitproc visit, void *arg)
{
    State *state = PyModule_GetState(module);
#define VISITED(name) Py_VISIT(state->name);
    KNOWN(VISITED)
    Py_VISIT(state->PlanType);
    Py_VISIT(state->OutPlanType);
    return 0;
}

static int
module_clear(PyObject *module)
{
    State *state = PyModule_GetState(module);
#define CLEARED(name) Py_CLEAR(state->name);
    KNOWN(CLEARED)
    Py_CLEAR(state->PlanType);
    Py_CLEAR(state->OutPlanType);
    return 0;
}

static void
module_free(void *module)
{
    module_clear((PyObject *)module);
}

static PyMethodDef module_methods[] = {
    {"begin", begin, METH_VARARGS, "Tell what the package answers with, and the classes that it makes."},
    {"load", load, METH_VARARGS, "A plan of its words, its constants, and what answers once a class has changed."},
    {"places", places_found, METH_VARARGS, "Where the ends of paths stand in a sound text of ASCII, None where it cannot tell."},
    {"load_out", load_out, METH_VARARGS, "A plan of the way out, of its words and its constants."},
    {NULL, NULL, 0, NULL},
};

static PyModuleDef_Slot module_slots[] = {
    {Py_mod_exec, executed},
#if PY_VERSION_HEX >= 0x030C0000
    {Py_mod_multiple_interpreters, Py_MOD_MULTIPLE_INTERPRETERS_SUPPORTED},
#endif
    {0, NULL},
};

static struct PyModuleDef module_definition = {
    PyModuleDef_HEAD_INIT,
    .m_name = "dutiful_gate_native._core",
    .m_doc = "The native core of dutiful_gate: it admits what is surely sound, and leaves the rest to Python.",
    .m_size = sizeof(State),
    .m_methods = module_methods,
    .m_slots = module_slots,
    .m_traverse = module_traverse,
    .m_clear = module_clear,
    .m_free = module_free,
};

PyMODINIT_FUNC
PyInit__core(void)
{
    return PyModuleDef_Init(&module_definition);
}
