"""Public functions of the core say the shapes of their arrays and the errors that they raise."""

import ast
import re
from pathlib import Path

import syntonos.core

ROOT = Path(syntonos.core.__file__).parent
# "(n, 3)", "(..., 3)", "(h, w)", "(3,)", "an array of any shape", "a scalar".
SHAPE = re.compile(r"\([A-Za-z0-9.* ]+,[A-Za-z0-9.*, ]*\)|\(\.\.\.\)|any shape|as `|3x3")


def _functions(tree):
    """Yield the public functions of a module, and public methods of its public classes."""
    for node in tree.body:
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            yield node
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            for inner in node.body:
                if isinstance(inner, ast.FunctionDef) and not inner.name.startswith("_"):
                    yield inner


def _has_arrays(function):
    args = [*function.args.args, *function.args.kwonlyargs]
    said = [ast.unparse(a.annotation) for a in args if a.annotation]
    said.append(ast.unparse(function.returns) if function.returns else "")
    return any(re.search(r"NDArray|ArrayLike|\bA\b|\bPicture\b|Spectrum\b", t) for t in said)


def _raised(function):
    """Names of our own errors that a function's own statements raise."""
    below = [f for f in ast.walk(function) if isinstance(f, ast.FunctionDef) and f is not function]
    inner = {id(n) for f in below for n in ast.walk(f)}
    for node in ast.walk(function):
        if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call) and id(node) not in inner:
            name = ast.unparse(node.exc.func)
            if name.endswith("Error"):
                yield name


def test_arrays_have_shapes_and_errors_are_said():
    missing = []
    for path in sorted(ROOT.rglob("*.py")):
        module = path.relative_to(ROOT)
        if module.name.startswith("_"):
            continue
        for function in _functions(ast.parse(path.read_text())):
            said = ast.get_docstring(function) or ""
            if _has_arrays(function) and not SHAPE.search(said):
                missing.append(f"{module}: {function.name} names no shape")
            if any(_raised(function)) and "Raises" not in said:
                missing.append(f"{module}: {function.name} raises what it does not say")
    assert missing == []
