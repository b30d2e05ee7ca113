/* What loads plans: words that are looked at once, and memory that is freed together. */
#ifndef DUTIFUL_LOADING_H
#define DUTIFUL_LOADING_H

#define PY_SSIZE_T_CLEAN
#include <Python.h>
#include <structmember.h>

#include "forms.h"
#include "pure.h"

#define MOST_NESTED 200 /* nodes inside each other, not through records: little of the stack is taken */

/* All that one plan allocates. */
typedef struct {
    void **blocks;
    size_t count, room;
} Pool;

typedef struct {
    Pool *pool;
    PyObject *constants;
    const uint32_t *words;
    uint32_t count;
    void **known;      /* the node or record that stands at a word */
    uint32_t *waiting; /* where the records stand that are named, and not filled yet */
    uint32_t waiting_count;
    int depth;
    Py_buffer raw;
    uint32_t *copied;
} Loader;

void *kept(Pool *pool, size_t count, size_t size);
void pool_freed(Pool *pool);

/* 0, with ValueError set where no exception is. */
int wrong(const char *words);
int has(Loader *loader, uint32_t at, uint32_t count);
PyObject *constant(Loader *loader, uint32_t number);
PyObject *constant_of(Loader *loader, uint32_t number, int fits(PyObject *), const char *words);

/* Begin with words and constants; 0 for an exception. In any case `loader_ended` must follow. */
int loader_begun(Loader *loader, Pool *pool, PyObject *words, PyObject *constants, uint32_t head);
void loader_ended(Loader *loader);

/* The record that stands somewhere: known from when it is first named, and filled later. */
void *record_named(Loader *loader, uint32_t at, uint32_t head, size_t size);

/* The place of a slot in the objects of a class; 0 where the attribute is no slot. */
Py_ssize_t slot_of(PyTypeObject *type, PyObject *attribute);

int is_text(PyObject *held);
int is_bytes(PyObject *held);
int is_dict(PyObject *held);
int is_callable(PyObject *held);
int is_type(PyObject *held);
int is_anything(PyObject *held);
int is_frozenset(PyObject *held);

#endif
