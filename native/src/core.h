/* The half that speaks to Python: plans, and what reads data by them. */
#ifndef DUTIFUL_CORE_H
#define DUTIFUL_CORE_H

#include "loading.h"

#define LARGE 100 /* from how many items on what is made of a collection is handed over, as in engine/handover.py */
#define FEW 24 /* fields of a record whose values stand on the stack */

/* What is known of the process, in the order in which the package tells it to `begin`, once; `noted` makes an answer of a
 * value and the keys that were dropped. */
#define KNOWN(EACH) \
    EACH(Stop) EACH(UNSURE) EACH(Passing) EACH(ABSENT) EACH(Decimal) EACH(Digits) EACH(UUID) EACH(safe) EACH(is_blank) \
    EACH(hand_over) EACH(hand_over_later) EACH(noted)

typedef struct {
#define DECLARED(name) PyObject *name;
    KNOWN(DECLARED)
    Py_ssize_t uuid_int, uuid_safe; /* where a UUID stores them */
    PyTypeObject *PlanType, *OutPlanType;
} State;

/* A rule or a step. */
typedef struct {
    uint8_t form;
    uint8_t flag;       /* an end is included; a constant is wanted; a table says all */
    uint8_t whole;      /* whether `low` is the constant */
    uint8_t real;       /* whether `number` is the constant */
    int64_t low, high;
    double number;
    PyObject *constant; /* borrowed from the plan's constants, as everything here is */
    PyObject *function;
    Table *table;
} Part;

struct Record;

/* A place where a value is read. */
typedef struct Node {
    uint8_t form;
    uint8_t flag;
    uint8_t deep;       /* a call whose function may be handed something deep */
    uint32_t count;     /* of `many` */
    uint32_t parts_count;
    Part *parts;
    struct Node *inner, *key;
    struct Node **many;
    uint8_t *classes;   /* of each of `many`, the plain classes it is read from */
    PyObject *constant, *other;
    PyObject *site;      /* of a collection: what is made of its first items is handed over by it; None where it is not */
    struct Record *record;
    Keys choices;        /* of a choice, by their bytes in JSON, with the value of each */
    PyObject **chosen;
} Node;

typedef struct {
    Node *node;
    PyObject *attribute; /* interned */
    PyObject *wire;      /* interned */
    PyObject *otherwise; /* a default, or what makes one */
    uint8_t lack;        /* what an absent field is: see LACK_ in forms.h */
    uint8_t told;        /* bits of FIELD_ in forms.h */
    Py_ssize_t offset;   /* of its slot; 0 for none */
} Field;

typedef struct {
    uint8_t form;
    uint8_t sign;        /* of a comparison, as Py_LT and the others */
    uint32_t count;
    uint32_t *fields;
    PyObject *function;
} FieldsRule;

/* What is asked of a record as a whole. */
typedef struct {
    FieldsRule *rules;
    uint32_t rules_count;
    PyObject **checks;
    uint32_t checks_count;
} Judging;

typedef struct Record {
    PyObject *builder;
    PyObject *names;     /* of the keyword arguments */
    PyObject *never_unknown; /* names that nobody declared as fields, and that are not noted */
    uint8_t form, refuses, slots, aliases;
    uint32_t count, required;
    Field *fields;
    Keys keys;           /* every name in the data, with its field */
    PyObject **also;     /* the other names of fields, as pairs with `also_of` */
    uint32_t *also_of;
    uint32_t also_count;
    Judging judging;
} Record;

/* A class that is made by storing, and how its constructor was when the plan was written. */
typedef struct {
    PyTypeObject *type;
    PyObject *init, *new;
    unsigned int version;
} Watched;

/* What plans of both ways begin with. */
#define PLAN_HEAD \
    PyObject_HEAD \
    State *state; \
    PyObject *constants; \
    PyObject *rewritten, *rewritten_json; /* of the way in: what answers once a watched class has changed */ \
    Pool pool;

typedef struct {
    PLAN_HEAD
} AnyPlan;

typedef struct {
    PLAN_HEAD
    Node *root;
    int depth;
    int exact;            /* fractions keep their digits */
    int strangers;        /* what is done about keys that nobody declared, unless they are noted */
    int text;             /* all data is text: blank text may stand for nothing, one text for a list of it */
    Py_ssize_t items;
    Py_ssize_t bytes;     /* the longest text, in what it counts: bytes, or characters */
    Watched *watched;
    uint32_t watched_count;
} Plan;

/* What is done about keys that nobody declared, where they are not refused. */
enum { PASSED_OVER, DOUBTED, NOTED };

/* One reading. */
typedef struct {
    Plan *plan;
    State *state;
    Bytes at, end;        /* what is left of raw text */
    const char *stack;    /* where the stack was when it began */
    int depth;
    uint32_t ticks, looked;
    uint64_t last;        /* when others were let in */
    int strangers;        /* what is done about keys that nobody declared */
    PyObject *dropped;    /* those that were noted: see `noted_here` */
    PyObject **held;      /* items of lists that are not whole yet */
    size_t held_count, held_room;
    PyObject *waiting;    /* of raw text: what was made of collections before the doubt */
} Reader;

/* Everything that gives back an object gives NULL for doubt, too: then no exception is set. */

/* plan.c */
PyObject *plan_loaded(State *state, PyObject *arguments);
int parts_loaded(Loader *loader, uint32_t at, Part **parts, uint32_t *parts_count);
int judging_loaded(Loader *loader, uint32_t at, uint32_t fields, uint32_t rules, uint32_t checks, Judging *made);
int plan_is_fresh(Plan *plan); /* whether no watched class has changed; -1 for an exception */

/* values.c: single values and what is common to both ways of reading */
int others_let_in(uint64_t *last); /* signals, and now and then other threads; 0 for an exception */
int tick(Reader *reader);          /* the same, of every so many values */
int enter(Reader *reader, const void *here);
PyObject *answer_of(Reader *reader, PyObject *made); /* what a function of Python answered: NULL where it is a Stop */
PyObject *with_parts(Reader *reader, const Node *node, PyObject *value); /* takes the value over */
PyObject *parts_run(const Part *parts, uint32_t count, PyObject *value); /* the same */
const Node *option_of(const Node *node, uint8_t class); /* of a union, that which reads a class; NULL for none */
PyObject *single_from_plain(Reader *reader, const Node *node, PyObject *plain);
PyObject *moment_made(Reader *reader, const Node *node, Bytes at, Py_ssize_t length);
PyObject *uuid_made(Reader *reader, Bytes at, Py_ssize_t length);
PyObject *gathered_as(Reader *reader, const Node *node, PyObject *list); /* takes the list over */
int has_surrogates(PyObject *text);
int stands_for_nothing(Reader *reader, PyObject *value); /* in all-text data; -1 for an exception */
int moments_begin(void);
int moments_compare(PyObject *one, PyObject *other); /* whether both are of UTC: then their bytes tell */
int moment_holds(PyObject *one, PyObject *other, int sign);

/* records.c */
int record_lacks(Reader *reader, const Record *record, PyObject **values, Py_ssize_t unknown);
int noted_here(Reader *reader, const Record *record, PyObject *key, Py_ssize_t order);
int noted_beneath(Reader *reader, Py_ssize_t before, PyObject *step, Py_ssize_t order);

static inline Py_ssize_t
noted_count(const Reader *reader)
{
    return reader->dropped == NULL ? 0 : PyList_GET_SIZE(reader->dropped);
}

int rules_hold(const Judging *judging, PyObject **values);
int checks_hold(const Judging *judging, PyObject *record);
PyObject *record_made(Reader *reader, const Record *record, PyObject **values);

/* plain.c: decoded data */
PyObject *from_plain(Reader *reader, const Node *node, PyObject *plain);
PyObject *from_row(Reader *reader, const int32_t *columns, Py_ssize_t count, PyObject *cells);
int is_deeper(Reader *reader, PyObject *plain, int most);

/* raw.c: JSON text */
PyObject *from_raw(Reader *reader, const Node *node);
PyObject *plain_from_raw(Reader *reader);

/* places.c */
PyObject *places_found(PyObject *module, PyObject *arguments); /* as Python calls it */

#endif
