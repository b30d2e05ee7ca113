/* Where values stand in a sound JSON text: one walk over it, which passes over whatever nobody asks for. */
#include "core.h"

typedef struct {
    Bytes begin, at, end;
    Py_ssize_t left;      /* of the paths that are asked for */
    PyObject *values, *keys;
    uint32_t ticks;
    uint64_t last;
} Finder;

static void
skip_blanks(Finder *finder)
{
    finder->at = past_blanks(finder->at, finder->end);
}

static int
waits(Finder *finder)
{
    return ++finder->ticks % 4096 || others_let_in(&finder->last);
}

/* Pass over a value; 0 at the end of the text. */
static int
passed(Finder *finder)
{
    Py_ssize_t depth = 0;
    while (finder->at < finder->end) {
        unsigned char sign = *finder->at;
        if (sign == '"') {
            int flags;
            Bytes end = string_end(finder->at + 1, finder->end, &flags);
            if (end == NULL)
                return 0;
            finder->at = end + 1;
        } else if (sign == '[' || sign == '{') {
            depth++;
            finder->at++;
        } else if (sign == ']' || sign == '}') {
            if (depth == 0)
                return 1;
            depth--;
            finder->at++;
        } else if (sign == ',' && depth == 0) {
            return 1;
        } else {
            finder->at++;
            continue;
        }
        if (!waits(finder))
            return 0;
        if (depth == 0) {
            skip_blanks(finder);
            return 1;
        }
    }
    return depth == 0;
}

static int
noted(PyObject *offsets, PyObject *path, Py_ssize_t offset)
{
    PyObject *number = PyLong_FromSsize_t(offset);
    int done = number == NULL ? -1 : PyDict_SetItem(offsets, path, number);
    Py_XDECREF(number);
    return done == 0;
}

static PyObject *
further(PyObject *path, PyObject *step)
{
    Py_ssize_t count = PyTuple_GET_SIZE(path);
    PyObject *made = PyTuple_New(count + 1);
    if (made == NULL)
        return NULL;
    for (Py_ssize_t each = 0; each < count; each++)
        PyTuple_SET_ITEM(made, each, Py_NewRef(PyTuple_GET_ITEM(path, each)));
    PyTuple_SET_ITEM(made, count, Py_NewRef(step));
    return made;
}

static int found(Finder *finder, PyObject *path, PyObject *branch, int depth);

/* One member of a record or list: 1 where it was looked into or passed over. */
static int
member(Finder *finder, PyObject *path, PyObject *step, PyObject *branch, Py_ssize_t key, int depth)
{
    if (branch == NULL)
        return passed(finder);
    PyObject *inner = further(path, step);
    if (inner == NULL)
        return 0;
    int done = (key < 0 || noted(finder->keys, inner, key)) && found(finder, inner, branch, depth);
    Py_DECREF(inner);
    return done;
}

static void
past_comma(Finder *finder)
{
    skip_blanks(finder);
    if (finder->at < finder->end && *finder->at == ',') {
        finder->at++;
        skip_blanks(finder);
    }
}

static int
in_record(Finder *finder, PyObject *path, PyObject *branch, int depth)
{
    finder->at++;
    skip_blanks(finder);
    while (finder->at < finder->end && *finder->at == '"') {
        int flags;
        Bytes begin = finder->at + 1, end = string_end(begin, finder->end, &flags);
        if (end == NULL || flags) /* a name with an escape is left to others */
            return 0;
        PyObject *name = PyUnicode_FromStringAndSize((const char *)begin, end - begin);
        if (name == NULL)
            return 0;
        PyObject *asked = PyDict_GetItemWithError(branch, name);
        finder->at = end + 1;
        skip_blanks(finder);
        if (finder->at >= finder->end || *finder->at != ':' || PyErr_Occurred()) {
            Py_DECREF(name);
            return 0;
        }
        finder->at++;
        skip_blanks(finder);
        int done = member(finder, path, name, asked, begin - 1 - finder->begin, depth);
        Py_DECREF(name);
        if (!done)
            return 0;
        if (finder->left == 0)
            return 1;
        past_comma(finder);
    }
    finder->at += finder->at < finder->end;
    return 1;
}

static int
in_list(Finder *finder, PyObject *path, PyObject *branch, int depth)
{
    finder->at++;
    skip_blanks(finder);
    for (Py_ssize_t number = 0; finder->at < finder->end && *finder->at != ']'; number++) {
        PyObject *step = PyLong_FromSsize_t(number);
        PyObject *asked = step == NULL ? NULL : PyDict_GetItemWithError(branch, step);
        int done = step != NULL && !PyErr_Occurred() && member(finder, path, step, asked, -1, depth);
        Py_XDECREF(step);
        if (!done)
            return 0;
        if (finder->left == 0)
            return 1;
        past_comma(finder);
    }
    finder->at += finder->at < finder->end;
    return 1;
}

/* Note where a value stands, and look into it for what is asked for inside. */
static int
found(Finder *finder, PyObject *path, PyObject *branch, int depth)
{
    if (depth > 150 || finder->at >= finder->end || !noted(finder->values, path, finder->at - finder->begin))
        return 0;
    finder->left--;
    if (!PyDict_CheckExact(branch) || PyDict_GET_SIZE(branch) == 0 || (*finder->at != '[' && *finder->at != '{'))
        return finder->left == 0 || passed(finder);
    return *finder->at == '{' ? in_record(finder, path, branch, depth + 1) : in_list(finder, path, branch, depth + 1);
}

/* `text`, which is ASCII and sound, the tree of paths, and how many steps there are in it, the root counted. Gives back
 * the offsets of values and of keys by their paths; None where it cannot tell. */
PyObject *
places_found(PyObject *module, PyObject *arguments)
{
    (void)module;
    PyObject *text, *branch;
    Py_ssize_t count;
    if (!PyArg_ParseTuple(arguments, "UO!n:places", &text, &PyDict_Type, &branch, &count))
        return NULL;
    if (!PyUnicode_IS_ASCII(text))
        Py_RETURN_NONE;
    Bytes begin = PyUnicode_1BYTE_DATA(text);
    Finder finder = {.begin = begin, .at = begin, .end = begin + PyUnicode_GET_LENGTH(text), .left = count};
    finder.values = PyDict_New();
    finder.keys = PyDict_New();
    PyObject *path = PyTuple_New(0), *made = NULL;
    if (finder.values != NULL && finder.keys != NULL && path != NULL) {
        skip_blanks(&finder);
        if (found(&finder, path, branch, 0))
            made = PyTuple_Pack(2, finder.values, finder.keys);
        else if (!PyErr_Occurred())
            made = Py_NewRef(Py_None);
    }
    Py_XDECREF(path);
    Py_XDECREF(finder.values);
    Py_XDECREF(finder.keys);
    return made;
}
