// An extension module of Python's, in C++: what an interpreter calls, and what calls back into it.
#define PY_SSIZE_T_CLEAN
#include <Python.h>

#include <vector>

static long heaviest(const std::vector<long>& loads) {
    long most = 0;
    for (long load : loads)
        if (load > most) most = load;
    return most;
}

// weigh(loads, then): the heaviest of a list, given to `then`.
static PyObject* weigh(PyObject*, PyObject* arguments) {
    PyObject *list = nullptr, *then = nullptr;
    if (!PyArg_ParseTuple(arguments, "O!O", &PyList_Type, &list, &then)) return nullptr;
    std::vector<long> loads;
    for (Py_ssize_t i = 0; i < PyList_Size(list); ++i) loads.push_back(PyLong_AsLong(PyList_GetItem(list, i)));
    return PyObject_CallFunction(then, "l", heaviest(loads));
}

static PyMethodDef methods[] = {{"weigh", weigh, METH_VARARGS, nullptr}, {nullptr, nullptr, 0, nullptr}};
static PyModuleDef module = {PyModuleDef_HEAD_INIT, "weigh", nullptr, -1, methods, nullptr, nullptr, nullptr, nullptr};

PyMODINIT_FUNC PyInit_weigh() {
    return PyModule_Create(&module);
}
