/* What loads plans. */
#include "loading.h"

#include <string.h>

void *
kept(Pool *pool, size_t count, size_t size)
{
    if (pool->count == pool->room) {
        size_t room = pool->room ? pool->room * 2 : 32;
        void **more = PyMem_Realloc(pool->blocks, room * sizeof(void *));
        if (more == NULL) {
            PyErr_NoMemory();
            return NULL;
        }
        pool->blocks = more;
        pool->room = room;
    }
    void *made = PyMem_Calloc(count ? count : 1, size);
    if (made == NULL) {
        PyErr_NoMemory();
        return NULL;
    }
    pool->blocks[pool->count++] = made;
    return made;
}

void
pool_freed(Pool *pool)
{
    for (size_t each = 0; each < pool->count; each++)
        PyMem_Free(pool->blocks[each]);
    PyMem_Free(pool->blocks);
    *pool = (Pool){0};
}

int
wrong(const char *words)
{
    if (!PyErr_Occurred())
        PyErr_Format(PyExc_ValueError, "a plan that is none: %s", words);
    return 0;
}

int
has(Loader *loader, uint32_t at, uint32_t count)
{
    if (at > loader->count || count > loader->count - at)
        return wrong("it leads past its end");
    return 1;
}

PyObject *
constant(Loader *loader, uint32_t number)
{
    if (number >= (uint32_t)PyTuple_GET_SIZE(loader->constants)) {
        wrong("a constant that is not there");
        return NULL;
    }
    return PyTuple_GET_ITEM(loader->constants, number);
}

PyObject *
constant_of(Loader *loader, uint32_t number, int fits(PyObject *), const char *words)
{
    PyObject *held = constant(loader, number);
    if (held != NULL && !fits(held)) {
        wrong(words);
        return NULL;
    }
    return held;
}

int
loader_begun(Loader *loader, Pool *pool, PyObject *words, PyObject *constants, uint32_t head)
{
    *loader = (Loader){.pool = pool, .constants = constants};
    if (!PyTuple_CheckExact(constants))
        return wrong("constants that are no tuple");
    if (PyObject_GetBuffer(words, &loader->raw, PyBUF_SIMPLE) < 0)
        return 0;
    size_t length = (size_t)loader->raw.len;
    if (length % 4 || length > 64 * 1024 * 1024 || length < head * 4)
        return wrong("words that are not whole");
    loader->count = (uint32_t)(length / 4);
    loader->copied = PyMem_Malloc(length);
    loader->known = PyMem_Calloc(loader->count, sizeof(void *));
    loader->waiting = PyMem_Calloc(loader->count, sizeof(uint32_t));
    if (loader->copied == NULL || loader->known == NULL || loader->waiting == NULL) {
        PyErr_NoMemory();
        return 0;
    }
    memcpy(loader->copied, loader->raw.buf, length);
    loader->words = loader->copied;
    return (loader->words[0] == PLAN_MAGIC && loader->words[1] == PLAN_VERSION) || wrong("it is of another version");
}

void
loader_ended(Loader *loader)
{
    PyMem_Free(loader->copied);
    PyMem_Free(loader->known);
    PyMem_Free(loader->waiting);
    if (loader->raw.obj != NULL)
        PyBuffer_Release(&loader->raw);
}

void *
record_named(Loader *loader, uint32_t at, uint32_t head, size_t size)
{
    if (!has(loader, at, head))
        return NULL;
    if (loader->words[at] != RECORD_MARK) {
        wrong("a node where a record should stand");
        return NULL;
    }
    if (loader->known[at] == NULL) {
        loader->known[at] = kept(loader->pool, 1, size);
        if (loader->known[at] != NULL)
            loader->waiting[loader->waiting_count++] = at;
    }
    return loader->known[at];
}

/* The place of a slot in the objects of a class; 0 where the attribute is no slot. */
Py_ssize_t
slot_of(PyTypeObject *type, PyObject *attribute)
{
    PyObject *found = PyObject_GetAttr((PyObject *)type, attribute);
    if (found == NULL) {
        PyErr_Clear();
        return 0;
    }
    Py_ssize_t offset = 0;
    if (Py_IS_TYPE(found, &PyMemberDescr_Type)) {
        PyMemberDescrObject *member = (PyMemberDescrObject *)found;
        if (member->d_member->type == T_OBJECT_EX && PyType_IsSubtype(type, PyDescr_TYPE(member)) &&
            member->d_member->offset > 0)
            offset = member->d_member->offset;
    }
    Py_DECREF(found);
    return offset;
}

int
is_text(PyObject *held)
{
    return PyUnicode_CheckExact(held);
}

int
is_dict(PyObject *held)
{
    return PyDict_CheckExact(held);
}

int
is_callable(PyObject *held)
{
    return PyCallable_Check(held);
}

int
is_type(PyObject *held)
{
    return PyType_Check(held);
}

int
is_anything(PyObject *held)
{
    (void)held;
    return 1;
}

int
is_frozenset(PyObject *held)
{
    return PyFrozenSet_CheckExact(held);
}

int
is_bytes(PyObject *held)
{
    return PyBytes_CheckExact(held);
}
