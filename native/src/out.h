/* The way out: sound typed values to JSON, by a plan of its own. */
#ifndef DUTIFUL_OUT_H
#define DUTIFUL_OUT_H

#include "core.h"

struct OutRecord;

typedef struct OutNode {
    uint8_t form;
    uint8_t into;        /* of a list: as it was built */
    uint32_t count;
    Part *parts;
    uint32_t parts_count;
    struct OutNode *inner;
    struct OutNode **many;
    PyObject **classes;  /* of each of `many`, the exact class of its values */
    PyObject *constant;  /* of a choice also its class, in `kind`; borrowed from the plan's constants, as everything here is */
    PyTypeObject *kind;
    struct OutRecord *record;
} OutNode;

typedef struct {
    OutNode *node;
    PyObject *attribute;
    PyObject *name;      /* bytes: in quotes, with the colon */
    uint8_t may_lack;
    uint8_t silent;      /* it is looked at, and does not go out */
    Py_ssize_t place;    /* of its slot, or in a tuple; 0 for an attribute that is looked up */
} OutField;

typedef struct OutRecord {
    PyTypeObject *type;
    uint8_t form;
    uint32_t count;
    OutField *fields;
    Judging judging;
} OutRecord;

typedef struct {
    PLAN_HEAD
    OutNode *root;
    int depth, checked;
    Py_ssize_t items;
} OutPlan;

/* What has been written. */
typedef struct {
    OutPlan *plan;
    State *state;
    char *bytes;
    size_t length, room;
    int depth;
    const char *stack;
    uint32_t ticks;
    uint64_t last;
} Writer;

/* out_plan.c */
PyObject *out_plan_loaded(State *state, PyObject *arguments);

/* out.c: 1 where a value was written; 0 for doubt, and for an exception, which is set then */
int written(Writer *writer, const OutNode *node, PyObject *value);
int out_begin(void);


#endif
