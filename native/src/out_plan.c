/* Plans of the way out. */
#include "out.h"

static OutNode *node_loaded(Loader *loader, uint32_t at);

static int
many_loaded(Loader *loader, OutNode *node, uint32_t at, uint32_t count, uint32_t step)
{
    if (count > loader->count || !has(loader, at, count * step))
        return wrong("too many of something");
    node->many = kept(loader->pool, count, sizeof(OutNode *));
    node->classes = kept(loader->pool, count, sizeof(PyObject *));
    if (node->many == NULL || node->classes == NULL)
        return 0;
    for (uint32_t each = 0; each < count; each++) {
        const uint32_t *words = loader->words + at + each * step;
        node->many[each] = node_loaded(loader, words[step - 1]);
        if (step == 2)
            node->classes[each] = constant_of(loader, words[0], is_type, "a class that is none");
        if (node->many[each] == NULL || (step == 2 && node->classes[each] == NULL))
            return 0;
    }
    node->count = count;
    return 1;
}

/* Texts that stand for constants, all of one class. */
static int
choice_loaded(Loader *loader, OutNode *node, uint32_t number)
{
    Py_ssize_t position = 0;
    PyObject *held, *told;
    node->constant = constant_of(loader, number, is_dict, "choices that are no dict");
    if (node->constant == NULL)
        return 0;
    while (PyDict_Next(node->constant, &position, &held, &told)) {
        if (!PyBytes_CheckExact(told) || (node->kind != NULL && node->kind != Py_TYPE(held)))
            return wrong("choices of several classes");
        node->kind = Py_TYPE(held);
    }
    return 1;
}

static int
node_filled(Loader *loader, OutNode *node, const uint32_t *words, uint32_t at)
{
    switch (words[0]) {
    case OUT_PLAIN:
        node->constant = constant_of(loader, words[2], is_callable, "a function that cannot be called");
        return node->constant != NULL;
    case OUT_CHOICE:
        return choice_loaded(loader, node, words[2]);
    case OUT_LIST:
        node->into = (uint8_t)words[3];
        if (words[3] > INTO_TUPLE)
            return wrong("a list of no form");
        node->inner = node_loaded(loader, words[2]);
        return node->inner != NULL;
    case OUT_DICT:
    case OUT_NULLABLE:
    case OUT_SAME:
        node->inner = node_loaded(loader, words[2]);
        return node->inner != NULL;
    case OUT_FIXED:
        if (words[2] && (node->inner = node_loaded(loader, words[2])) == NULL)
            return 0;
        return many_loaded(loader, node, at + 4, words[3], 1);
    case OUT_UNION:
        return many_loaded(loader, node, at + 3, words[2], 2);
    case OUT_RECORD:
        node->record = record_named(loader, words[2], 6, sizeof(OutRecord));
        return node->record != NULL;
    default:
        return (words[0] >= OUT_AS_IT_IS && words[0] <= OUT_EXACT) || wrong("a node of no form");
    }
}

static OutNode *
node_loaded(Loader *loader, uint32_t at)
{
    if (!has(loader, at, 4))
        return NULL;
    if (loader->words[at] == RECORD_MARK) {
        wrong("a record where a node should stand");
        return NULL;
    }
    if (loader->known[at] != NULL)
        return loader->known[at];
    if (++loader->depth > MOST_NESTED) {
        wrong("it nests too deep");
        return NULL;
    }
    OutNode *node = kept(loader->pool, 1, sizeof(OutNode));
    if (node == NULL)
        return NULL;
    loader->known[at] = node;
    node->form = (uint8_t)loader->words[at];
    const uint32_t *words = loader->words + at;
    if (!node_filled(loader, node, words, at) || !parts_loaded(loader, words[1], &node->parts, &node->parts_count))
        return NULL;
    loader->depth--;
    return node;
}

static int
record_filled(Loader *loader, uint32_t at)
{
    OutRecord *record = loader->known[at];
    const uint32_t *words = loader->words + at;
    record->type = (PyTypeObject *)constant_of(loader, words[1], is_type, "a class that is none");
    record->form = (uint8_t)words[2];
    uint32_t count = words[3];
    if (record->type == NULL || words[2] > BUILT_TUPLE || count > loader->count || !has(loader, at + 6, count * 5))
        return wrong("a record of no form");
    if ((record->form == BUILT_TUPLE && !PyType_IsSubtype(record->type, &PyTuple_Type)) ||
        (record->form == BUILT_DICT && record->type != &PyDict_Type))
        return wrong("a record of another class than its form");
    record->fields = kept(loader->pool, count, sizeof(OutField));
    if (record->fields == NULL)
        return 0;
    record->count = count;
    for (uint32_t each = 0; each < count; each++) {
        OutField *field = &record->fields[each];
        const uint32_t *held = words + 6 + each * 5;
        field->node = node_loaded(loader, held[0]);
        field->attribute = constant_of(loader, held[1], is_text, "an attribute that is no text");
        field->name = constant_of(loader, held[2], is_bytes, "a name that is no bytes");
        field->may_lack = held[4] & 1;
        field->silent = held[4] >> 1 & 1;
        if (field->node == NULL || field->attribute == NULL || field->name == NULL)
            return 0;
        if (record->form == BUILT_TUPLE)
            field->place = held[3];
        else if (record->form != BUILT_DICT)
            field->place = slot_of(record->type, field->attribute);
    }
    return judging_loaded(loader, at + 6 + count * 5, count, words[4], words[5], &record->judging);
}

PyObject *
out_plan_loaded(State *state, PyObject *arguments)
{
    PyObject *raw, *constants;
    if (!PyArg_ParseTuple(arguments, "OO!:load_out", &raw, &PyTuple_Type, &constants))
        return NULL;
    OutPlan *plan = (OutPlan *)state->OutPlanType->tp_alloc(state->OutPlanType, 0);
    if (plan == NULL)
        return NULL;
    plan->state = state;
    plan->constants = Py_NewRef(constants);
    Loader loader;
    int loaded = loader_begun(&loader, &plan->pool, raw, constants, 6);
    if (loaded) {
        plan->depth = loader.words[3] > 400 ? 400 : (int)loader.words[3];
        plan->items = loader.words[4];
        plan->checked = loader.words[5] != 0;
    }
    loaded = loaded && (plan->root = node_loaded(&loader, loader.words[2])) != NULL;
    for (uint32_t each = 0; loaded && each < loader.waiting_count; each++)
        loaded = record_filled(&loader, loader.waiting[each]);
    loader_ended(&loader);
    if (!loaded) {
        wrong("nothing");
        Py_CLEAR(plan);
    }
    return (PyObject *)plan;
}
