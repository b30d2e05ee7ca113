/* Plans: flat words and constants, checked once and made into structures. Every number that leads somewhere is looked
 * at here, so that nothing that reads by a plan need look again. */
#include <string.h>

#include "core.h"

static int
is_table(PyObject *held)
{
    return PyBytes_CheckExact(held) && table_is_sound((Bytes)PyBytes_AS_STRING(held), PyBytes_GET_SIZE(held));
}

/* What a constant of a comparison is, so that most comparisons need no object. */
static int
measured(Part *part, PyObject *held)
{
    if (PyLong_CheckExact(held)) {
        int overflow;
        long long whole = PyLong_AsLongLongAndOverflow(held, &overflow);
        if (whole == -1 && PyErr_Occurred())
            return 0;
        if (!overflow) {
            part->whole = 1;
            part->low = whole;
            if (whole <= (1LL << 53) && whole >= -(1LL << 53)) {
                part->real = 1;
                part->number = (double)whole;
            }
        }
    } else if (PyFloat_CheckExact(held)) {
        part->real = 1;
        part->number = PyFloat_AS_DOUBLE(held);
    }
    return 1;
}

static int
table_ready(Loader *loader, Part *part)
{
    Bytes table = (Bytes)PyBytes_AS_STRING(part->constant);
    uint16_t *next = kept(loader->pool, table_room(table), sizeof(uint16_t));
    part->table = kept(loader->pool, 1, sizeof(Table));
    if (next == NULL || part->table == NULL)
        return 0;
    table_made(table, next, part->table);
    return 1;
}

static int
part_loaded(Loader *loader, uint32_t *at, Part *part)
{
    if (!has(loader, *at, 4))
        return 0;
    const uint32_t *words = loader->words + *at;
    *at += 4;
    part->form = (uint8_t)words[0];
    switch (words[0]) {
    case FORM_TEST:
    case FORM_STEP:
        part->function = constant_of(loader, words[1], is_callable, "a test that cannot be called");
        return part->function != NULL;
    case FORM_LENGTH:
        part->low = words[1];
        part->high = words[2] == NO_END ? INT64_MAX : (int64_t)words[2];
        return 1;
    case FORM_LENGTH_BARRED:
        part->low = words[1];
        return 1;
    case FORM_FLOOR:
    case FORM_CEILING:
    case FORM_EQUAL:
        part->constant = constant_of(loader, words[1], is_anything, "");
        part->flag = words[2] != 0;
        return part->constant != NULL && measured(part, part->constant);
    case FORM_ONE_OF:
        part->constant = constant_of(loader, words[1], is_frozenset, "choices that are no frozenset");
        return part->constant != NULL;
    case FORM_STARTS_WITH:
    case FORM_ENDS_WITH:
        part->constant = constant_of(loader, words[1], is_text, "an affix that is no text");
        return part->constant != NULL;
    case FORM_TRIMMED:
    case FORM_LOWERED:
    case FORM_UPPERED:
        part->function = constant_of(loader, words[1], is_callable, "a step that cannot be called");
        return part->function != NULL;
    case FORM_PATTERN:
        part->constant = constant_of(loader, words[1], is_table, "a table that is none");
        part->function = constant_of(loader, words[2], is_callable, "a test that cannot be called");
        part->flag = words[3] != 0;
        return part->constant != NULL && part->function != NULL && table_ready(loader, part);
    case FORM_MULTIPLE:
        part->low = words[1];
        part->function = constant_of(loader, words[2], is_callable, "a test that cannot be called");
        return part->function != NULL && (words[1] != 0 || wrong("a multiple of nothing"));
    default:
        return wrong("a part of no form");
    }
}

int
parts_loaded(Loader *loader, uint32_t at, Part **parts, uint32_t *parts_count)
{
    if (at == 0)
        return 1;
    if (!has(loader, at, 1))
        return 0;
    uint32_t count = loader->words[at++];
    if (!has(loader, at, count))
        return 0;
    *parts = kept(loader->pool, count, sizeof(Part));
    if (*parts == NULL)
        return 0;
    for (uint32_t each = 0; each < count; each++)
        if (!part_loaded(loader, &at, *parts + each))
            return 0;
    *parts_count = count;
    return 1;
}

static Node *node_loaded(Loader *loader, uint32_t at);
static Record *record_loaded(Loader *loader, uint32_t at);

static int
many_loaded(Loader *loader, Node *node, uint32_t at, uint32_t count, uint32_t step)
{
    if (count > loader->count || !has(loader, at, count * step))
        return wrong("too many of something");
    node->many = kept(loader->pool, count, sizeof(Node *));
    node->classes = kept(loader->pool, count, 1);
    if (node->many == NULL || node->classes == NULL)
        return 0;
    for (uint32_t each = 0; each < count; each++) {
        const uint32_t *words = loader->words + at + each * step;
        node->many[each] = node_loaded(loader, words[step - 1]);
        if (node->many[each] == NULL)
            return 0;
        node->classes[each] = step == 2 ? (uint8_t)words[0] : 0;
    }
    node->count = count;
    return 1;
}

/* Whether each value of a table of tags is the number of an option. */
static int
tags_lead(PyObject *tags, uint32_t count)
{
    Py_ssize_t position = 0;
    PyObject *key, *held;
    while (PyDict_Next(tags, &position, &key, &held)) {
        if (!PyLong_CheckExact(held))
            return 0;
        int overflow;
        long number = PyLong_AsLongAndOverflow(held, &overflow);
        if (overflow || number < 0 || (unsigned long)number >= count)
            return 0;
    }
    return 1;
}

static int
key_added(Keys *keys, PyObject *name, uint32_t field)
{
    Py_ssize_t length;
    const char *bytes = PyUnicode_AsUTF8AndSize(name, &length);
    if (bytes == NULL) { /* a lone surrogate, which no sound text holds */
        if (!PyErr_ExceptionMatches(PyExc_UnicodeEncodeError))
            return 0;
        PyErr_Clear();
        return 1;
    }
    int plain = 1;
    for (Py_ssize_t each = 0; each < length; each++)
        plain = plain && (unsigned char)bytes[each] >= 0x20 && bytes[each] != '"' && bytes[each] != '\\';
    keys->keys[keys->count++] = (Key){.bytes = (Bytes)bytes, .length = (uint32_t)length, .field = field, .plain = plain};
    return 1;
}

/* Room for so many keys. */
static int
keys_roomy(Pool *pool, Keys *keys, uint32_t count)
{
    uint32_t room = 4;
    while (room < count * 2)
        room *= 2;
    keys->keys = kept(pool, count, sizeof(Key));
    keys->slots = kept(pool, room, sizeof(uint32_t));
    keys->mask = room - 1;
    return keys->keys != NULL && keys->slots != NULL;
}

/* The texts of a choice by their bytes, so that no object is made to look one up. */
static int
choices_loaded(Loader *loader, Node *node)
{
    uint32_t count = (uint32_t)PyDict_GET_SIZE(node->constant);
    Py_ssize_t position = 0;
    PyObject *text, *held;
    node->chosen = kept(loader->pool, count, sizeof(PyObject *));
    if (node->chosen == NULL || !keys_roomy(loader->pool, &node->choices, count))
        return 0;
    while (PyDict_Next(node->constant, &position, &text, &held)) {
        if (!PyUnicode_CheckExact(text))
            return wrong("a choice that is no text");
        node->chosen[node->choices.count] = held;
        if (!key_added(&node->choices, text, 0))
            return 0;
    }
    return keys_settle(&node->choices) || wrong("one choice twice");
}

static int
node_filled(Loader *loader, Node *node, const uint32_t *words, uint32_t at)
{
    switch (words[0]) {
    case FORM_CALL:
        node->constant = constant_of(loader, words[2], is_callable, "a reader that cannot be called");
        node->deep = words[3] & 1;
        node->flag = words[3] >> 1 & 1;
        return node->constant != NULL;
    case FORM_TEXT_FORM:
        node->constant = constant_of(loader, words[2], is_callable, "a reader that cannot be called");
        node->other = constant_of(loader, words[3], is_callable, "a reader that cannot be called");
        return node->constant != NULL && node->other != NULL;
    case FORM_TEXT:
    case FORM_WHOLE:
    case FORM_NUMBER:
    case FORM_TRUTH:
    case FORM_NULL:
    case FORM_MOMENT:
    case FORM_UTC_MOMENT:
    case FORM_LOCAL_MOMENT:
    case FORM_DAY:
    case FORM_UUID:
    case FORM_EXACT:
    case FORM_WHOLE_IN_TEXT:
    case FORM_NUMBER_IN_TEXT:
    case FORM_TRUTH_IN_TEXT:
        node->constant = constant_of(loader, words[2], is_callable, "a reader that cannot be called");
        return node->constant != NULL;
    case FORM_CHOICE:
        node->constant = constant_of(loader, words[2], is_dict, "choices that are no dict");
        return node->constant != NULL && choices_loaded(loader, node);
    case FORM_LIST:
        node->flag = (uint8_t)words[2];
        if (words[2] > INTO_DEQUE)
            return wrong("a list into nothing");
        node->inner = node_loaded(loader, words[3]);
        if (!has(loader, at, 6))
            return 0;
        node->constant = constant_of(loader, words[4], is_anything, "");
        node->site = constant(loader, words[5]);
        if (words[2] > INTO_TUPLE && node->constant != Py_None && node->constant && !is_callable(node->constant))
            return wrong("a list into what cannot be called");
        if (words[2] == INTO_DEQUE && node->constant == Py_None)
            return wrong("a deque without its class");
        return node->inner != NULL && node->constant != NULL && node->site != NULL;
    case FORM_FIXED:
        if (!has(loader, at, 5))
            return 0;
        if (words[2]) {
            node->inner = node_loaded(loader, words[2]);
            if (node->inner == NULL)
                return 0;
        }
        return many_loaded(loader, node, at + 4, words[3], 1);
    case FORM_DICT:
        if (!has(loader, at, 5))
            return 0;
        node->key = node_loaded(loader, words[2]);
        node->inner = node_loaded(loader, words[3]);
        node->site = constant(loader, words[4]);
        return node->site != NULL && node->key != NULL && node->inner != NULL &&
               (node->key->form == FORM_TEXT || node->key->form == FORM_CHOICE || wrong("keys that are no text"));
    case FORM_UNION:
        return many_loaded(loader, node, at + 3, words[2], 2);
    case FORM_TAGGED:
        if (!has(loader, at, 5))
            return 0;
        node->constant = constant_of(loader, words[2], is_text, "a tag that is no text");
        node->other = constant_of(loader, words[3], is_dict, "tags that are no dict");
        return node->constant != NULL && node->other != NULL &&
               many_loaded(loader, node, at + 5, words[4], 1) &&
               (tags_lead(node->other, node->count) || wrong("a tag of no option"));
    case FORM_NULLABLE:
        node->inner = node_loaded(loader, words[2]);
        node->flag = words[3] != 0;
        return node->inner != NULL;
    case FORM_SEALED:
        node->constant = constant_of(loader, words[2], is_callable, "a seal that cannot be called");
        node->inner = node_loaded(loader, words[3]);
        return node->constant != NULL && node->inner != NULL;
    case FORM_SAME:
        node->inner = node_loaded(loader, words[2]);
        return node->inner != NULL;
    case FORM_RECORD:
        node->record = record_loaded(loader, words[2]);
        return node->record != NULL;
    default:
        return wrong("a node of no form");
    }
}

static Node *
node_loaded(Loader *loader, uint32_t at)
{
    if (!has(loader, at, 4))
        return NULL;
    if (loader->known[at] != NULL) {
        Node *known = loader->known[at];
        /* Records begin with a mark that no node has: what leads to one by mistake is seen by it. */
        return loader->words[at] == RECORD_MARK ? (wrong("a record where a node should stand"), NULL) : known;
    }
    if (loader->words[at] == RECORD_MARK) {
        wrong("a record where a node should stand");
        return NULL;
    }
    if (++loader->depth > MOST_NESTED) {
        wrong("it nests too deep");
        return NULL;
    }
    Node *node = kept(loader->pool, 1, sizeof(Node));
    if (node == NULL)
        return NULL;
    loader->known[at] = node;
    const uint32_t *words = loader->words + at;
    node->form = (uint8_t)words[0];
    if (!node_filled(loader, node, words, at) || !parts_loaded(loader, words[1], &node->parts, &node->parts_count))
        return NULL;
    loader->depth--;
    return node;
}

static int
field_loaded(Loader *loader, uint32_t at, Record *record, Field *field)
{
    if (!has(loader, at, 5))
        return 0;
    const uint32_t *words = loader->words + at;
    field->node = node_loaded(loader, words[0]);
    field->attribute = constant_of(loader, words[1], is_text, "an attribute that is no text");
    field->wire = constant_of(loader, words[2], is_text, "a name that is no text");
    field->lack = (uint8_t)(words[3] & 0xFF);
    field->told = (uint8_t)(words[3] >> 8);
    field->otherwise = constant(loader, words[4]);
    if (field->node == NULL || field->attribute == NULL || field->wire == NULL || field->otherwise == NULL)
        return 0;
    if (field->lack > LACK_ABSENT)
        return wrong("a field that is absent in no way");
    if (field->lack == LACK_FACTORY && !is_callable(field->otherwise))
        return wrong("a default that nothing makes");
    if (field->told & FIELD_WITHHELD && field->lack == LACK_REQUIRED)
        return wrong("a field that nothing fills");
    record->required += field->lack == LACK_REQUIRED;
    if (record->form == BUILT_STORING) {
        PyTypeObject *type = (PyTypeObject *)record->builder;
        field->offset = slot_of(type, field->attribute);
        if (field->offset > type->tp_basicsize - (Py_ssize_t)sizeof(PyObject *))
            field->offset = 0;
        if (field->offset == 0)
            record->slots = 0;
    }
    return 1;
}

static int
names_loaded(Loader *loader, Record *record, uint32_t at, uint32_t count)
{
    if (count > loader->count || !has(loader, at, count * 2))
        return wrong("too many names");
    record->also = kept(loader->pool, count, sizeof(PyObject *));
    record->also_of = kept(loader->pool, count, sizeof(uint32_t));
    if (record->also == NULL || record->also_of == NULL ||
        !keys_roomy(loader->pool, &record->keys, record->count + count))
        return 0;
    for (uint32_t each = 0; each < record->count; each++)
        if (!key_added(&record->keys, record->fields[each].wire, each))
            return 0;
    for (uint32_t each = 0; each < count; each++) {
        const uint32_t *words = loader->words + at + each * 2;
        PyObject *name = constant_of(loader, words[0], is_text, "a name that is no text");
        if (name == NULL)
            return 0;
        if (words[1] >= record->count)
            return wrong("a name of no field");
        record->also[each] = name;
        record->also_of[each] = words[1];
        if (!key_added(&record->keys, name, words[1]))
            return 0;
    }
    record->also_count = count;
    return keys_settle(&record->keys) || wrong("one name for two fields");
}

static int
rule_loaded(Loader *loader, uint32_t *at, uint32_t fields, FieldsRule *rule)
{
    if (!has(loader, *at, 4))
        return 0;
    const uint32_t *words = loader->words + *at;
    rule->form = (uint8_t)words[0];
    rule->count = words[3];
    *at += 4;
    if (rule->count > loader->count || !has(loader, *at, rule->count))
        return wrong("too many fields of a rule");
    rule->fields = kept(loader->pool, rule->count, sizeof(uint32_t));
    if (rule->fields == NULL)
        return 0;
    for (uint32_t each = 0; each < rule->count; each++) {
        rule->fields[each] = loader->words[(*at)++];
        if (rule->fields[each] >= fields)
            return wrong("a rule on no field");
    }
    if (words[0] == RULE_CALL) {
        rule->function = constant_of(loader, words[2], is_callable, "a rule that cannot be called");
        return rule->function != NULL;
    }
    if (words[0] != RULE_COMPARE || rule->count != 2 || words[1] > Py_GE)
        return wrong("a rule of no form");
    rule->sign = (uint8_t)words[1];
    return 1;
}

/* The rules and checks of a record of so many fields, which stand from `at` on. */
int
judging_loaded(Loader *loader, uint32_t at, uint32_t fields, uint32_t rules, uint32_t checks, Judging *made)
{
    if (rules > loader->count || checks > loader->count)
        return wrong("too many rules");
    made->rules = kept(loader->pool, rules, sizeof(FieldsRule));
    made->checks = kept(loader->pool, checks, sizeof(PyObject *));
    if (made->rules == NULL || made->checks == NULL)
        return 0;
    for (uint32_t each = 0; each < rules; each++)
        if (!rule_loaded(loader, &at, fields, &made->rules[each]))
            return 0;
    made->rules_count = rules;
    if (!has(loader, at, checks))
        return 0;
    for (uint32_t each = 0; each < checks; each++) {
        made->checks[each] = constant_of(loader, loader->words[at + each], is_callable, "a check that is none");
        if (made->checks[each] == NULL)
            return 0;
    }
    made->checks_count = checks;
    return 1;
}

static Record *
record_loaded(Loader *loader, uint32_t at)
{
    return record_named(loader, at, 10, sizeof(Record));
}

/* RECORD_MARK, builder, form, refuses, names of arguments, then the numbers of fields, other names, rules and checks,
 * the names that are never unknown; five words a field, two a name, four and more a rule, one a check. */
static int
record_filled(Loader *loader, uint32_t at)
{
    Record *record = loader->known[at];
    const uint32_t *words = loader->words + at;
    record->form = (uint8_t)words[2];
    record->refuses = words[3] != 0;
    record->builder = constant(loader, words[1]);
    record->names = constant(loader, words[4]);
    uint32_t fields = words[5], names = words[6], rules = words[7], checks = words[8];
    record->never_unknown = constant_of(loader, words[9], is_frozenset, "names that are never unknown");
    if (record->builder == NULL || record->names == NULL || record->never_unknown == NULL)
        return 0;
    if (words[2] > BUILT_TUPLE || !PyTuple_CheckExact(record->names))
        return wrong("a record of no form");
    if (record->form == BUILT_STORING) {
        PyTypeObject *type = (PyTypeObject *)record->builder;
        if (!is_type(record->builder) || !PyType_HasFeature(type, Py_TPFLAGS_HEAPTYPE) ||
            type->tp_new != PyBaseObject_Type.tp_new || type->tp_flags & Py_TPFLAGS_IS_ABSTRACT ||
            type->tp_itemsize != 0)
            return wrong("a class that is not made by storing");
        record->slots = type->tp_dictoffset == 0;
    } else if (record->form != BUILT_DICT && !is_callable(record->builder))
        return wrong("a record that nothing makes");
    at += 10;
    if (fields > loader->count || !has(loader, at, fields * 5))
        return wrong("too many fields");
    if (record->form == BUILT_CALLING && PyTuple_GET_SIZE(record->names) != (Py_ssize_t)fields)
        return wrong("a name for each argument");
    record->fields = kept(loader->pool, fields, sizeof(Field));
    if (record->fields == NULL)
        return 0;
    record->count = fields;
    for (uint32_t each = 0; each < fields; each++)
        if (!field_loaded(loader, at + each * 5, record, &record->fields[each]))
            return 0;
    at += fields * 5;
    return names_loaded(loader, record, at, names) &&
           judging_loaded(loader, at + names * 2, fields, rules, checks, &record->judging);
}

static int
watched_loaded(Loader *loader, Plan *plan, uint32_t at)
{
    if (!has(loader, at, 1))
        return 0;
    uint32_t count = loader->words[at++];
    if (count > loader->count || !has(loader, at, count * 3))
        return wrong("too many classes");
    plan->watched = kept(loader->pool, count, sizeof(Watched));
    if (plan->watched == NULL)
        return 0;
    for (uint32_t each = 0; each < count; each++, at += 3) {
        Watched *watched = &plan->watched[each];
        watched->type = (PyTypeObject *)constant_of(loader, loader->words[at], is_type, "a class that is none");
        watched->init = constant(loader, loader->words[at + 1]);
        watched->new = constant(loader, loader->words[at + 2]);
        if (watched->type == NULL || watched->init == NULL || watched->new == NULL)
            return 0;
    }
    plan->watched_count = count;
    return 1;
}

/* The version of a class, which changes when anything in it or in its bases does; 0 where none is known. */
static unsigned int
version_of(PyTypeObject *type)
{
#if PY_VERSION_HEX < 0x030E0000
    if (!PyType_HasFeature(type, Py_TPFLAGS_VALID_VERSION_TAG))
        return 0;
#endif
    return type->tp_version_tag;
}

int
plan_is_fresh(Plan *plan)
{
    for (uint32_t each = 0; each < plan->watched_count; each++) {
        Watched *watched = &plan->watched[each];
        unsigned int version = version_of(watched->type);
        if (version != 0 && version == watched->version)
            continue;
        PyObject *init = PyObject_GetAttrString((PyObject *)watched->type, "__init__");
        PyObject *new = init ? PyObject_GetAttrString((PyObject *)watched->type, "__new__") : NULL;
        int same = init == watched->init && new == watched->new;
        Py_XDECREF(init);
        Py_XDECREF(new);
        if (new == NULL)
            return -1;
        if (!same)
            return 0;
        watched->version = version_of(watched->type);
    }
    return 1;
}

/* MAGIC, version, root, depth, items, exact, notes unknown keys, watched classes, bytes, whether it is text. */
PyObject *
plan_loaded(State *state, PyObject *arguments)
{
    PyObject *raw, *constants, *rewritten, *rewritten_json;
    if (!PyArg_ParseTuple(arguments, "OO!OO:load", &raw, &PyTuple_Type, &constants, &rewritten, &rewritten_json))
        return NULL;
    Plan *plan = (Plan *)state->PlanType->tp_alloc(state->PlanType, 0);
    if (plan == NULL)
        return NULL;
    plan->state = state;
    plan->constants = Py_NewRef(constants);
    plan->rewritten = Py_NewRef(rewritten);
    plan->rewritten_json = Py_NewRef(rewritten_json);
    Loader loader;
    int loaded = loader_begun(&loader, &plan->pool, raw, constants, 10);
    if (loaded) {
        const uint32_t *words = loader.words;
        plan->depth = words[3] > 100000 ? 100000 : (int)words[3];
        plan->items = words[4];
        plan->exact = words[5] != 0;
        plan->strangers = words[6] != 0 ? DOUBTED : PASSED_OVER;
        plan->bytes = words[8];
        plan->text = words[9] != 0;
        loaded = watched_loaded(&loader, plan, words[7]) && (plan->root = node_loaded(&loader, words[2])) != NULL;
        for (uint32_t each = 0; loaded && each < loader.waiting_count; each++)
            loaded = record_filled(&loader, loader.waiting[each]);
    }
    loader_ended(&loader);
    if (!loaded) {
        wrong("nothing");
        Py_CLEAR(plan);
    }
    return (PyObject *)plan;
}
