"""Docstrings say what a caller has to know: meaning, shapes, units, errors, source of a method."""

import ast
import re
from pathlib import Path

import pytest

SRC = Path(__file__).parents[1] / "src" / "inertian"
NUMERIC = ("motion", "physics", "quantities")
METHODS = ("motion/numerics", "motion/fits", "motion/noise", "motion/derivatives")
SHAPE = re.compile(
    r"shape|\((?:n|m|k|g|w|b|s|count|axes|parameters|…)[,)]|one (?:for|by) each|of like"
)
UNIT = re.compile(
    r"\bSI\b|\bin (?:s|m|rad|kg|J|px)\b|\bm/s|kg·m|\bσ\b|\bν\b|\bu\b|unit|weight|rows?\b|norm|"
    r"probability|factor|share|degree|ratio|numbers?\b|dimension|samples"
)
SOURCE = re.compile(r"\b1[789]\d\d\b|\b20[012]\d\b|JCGM|Design|textbook|definition")
FILES = sorted(SRC.rglob("*.py"))


def name_of(file):
    return file.relative_to(SRC).as_posix()


def public(tree):
    """Yield public functions, classes and methods of these, with their names."""
    for node in tree.body:
        if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_"):
            yield node.name, node
            if isinstance(node, ast.ClassDef):
                for inner in node.body:
                    if isinstance(inner, ast.FunctionDef) and not inner.name.startswith("_"):
                        yield f"{node.name}.{inner.name}", inner


def raised(function):
    """The names of the exceptions that leave a function, of those that it raises itself."""
    caught = {
        name.id
        for node in ast.walk(function)
        if isinstance(node, ast.ExceptHandler) and node.type is not None
        for name in ast.walk(node.type)
        if isinstance(name, ast.Name)
    }
    found, waiting = set(), list(function.body)
    while waiting:
        node = waiting.pop()
        if isinstance(node, ast.FunctionDef | ast.Lambda | ast.ClassDef):
            continue
        if isinstance(node, ast.Raise) and node.exc is not None:
            made = node.exc.func if isinstance(node.exc, ast.Call) else node.exc
            if isinstance(made, ast.Name) and made.id[0].isupper():
                found.add(made.id)
        waiting.extend(ast.iter_child_nodes(node))
    return found - caught


def takes_arrays(function):
    notes = [a.annotation for a in (*function.args.args, *function.args.kwonlyargs)]
    return any(
        isinstance(n, ast.Name) and n.id in ("Array", "Rows", "Mask")
        for note in notes
        if note is not None
        for n in ast.walk(note)
    )


@pytest.mark.parametrize("file", FILES, ids=name_of)
def test_what_is_public_is_documented_with_the_errors_it_raises(file):
    tree = ast.parse(file.read_text(encoding="utf-8"))
    assert ast.get_docstring(tree) or not tree.body, "the module says nothing"
    for name, node in public(tree):
        said = ast.get_docstring(node)
        overrides = isinstance(node, ast.FunctionDef) and re.match(r"[a-z]+[A-Z]", node.name)
        inherited = isinstance(node, ast.FunctionDef) and visits(node, tree)
        assert said or overrides or inherited, f"{name} has no docstring"
        if isinstance(node, ast.FunctionDef) and said:
            for error in raised(node) - {"AssertionError", "AttributeError"}:
                assert error in said, f"{name} raises {error} and does not say so"


def visits(node, tree):
    """Whether a method is one of a visitor, whose meaning its base class states."""
    return node.name in ("number", "symbol", "negative", "binary", "call")


@pytest.mark.parametrize("file", [f for f in FILES if name_of(f).startswith(NUMERIC)], ids=name_of)
def test_functions_of_arrays_say_shapes_and_units(file):
    tree = ast.parse(file.read_text(encoding="utf-8"))
    around = ast.get_docstring(tree) or ""
    for name, node in public(tree):
        if isinstance(node, ast.FunctionDef) and takes_arrays(node):
            owner = name.split(".")[0] if "." in name else ""
            classes = {n.name: ast.get_docstring(n) or "" for n in tree.body if hasattr(n, "name")}
            said = (ast.get_docstring(node) or "") + classes.get(owner, "")
            assert SHAPE.search(said), f"{name} does not say the shape of its arrays"
            assert UNIT.search(said), f"{name} does not say the units of its arrays"
        assert around


@pytest.mark.parametrize("file", [f for f in FILES if name_of(f).startswith(METHODS)], ids=name_of)
def test_methods_name_their_source(file):
    text = file.read_text(encoding="utf-8")
    tree = ast.parse(text)
    said = " ".join(
        ast.get_docstring(n) or ""
        for n in ast.walk(tree)
        if hasattr(n, "body") and isinstance(n, ast.Module | ast.FunctionDef | ast.ClassDef)
    )
    assert SOURCE.search(said) or "docs/methods.md" in said or file.name == "__init__.py"
