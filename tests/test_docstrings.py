"""What is public in core, devices and media is described, and what it raises is said."""

import ast
import builtins
from collections.abc import Iterator
from pathlib import Path

import ribalta

ROOMS = ("core", "devices", "media")
SOURCES = Path(ribalta.__path__[0])
ACTION = ["state", "params", "now_s"]  # an action is described by its row
Described = ast.FunctionDef | ast.ClassDef


def public(room: str) -> Iterator[tuple[str, Described, str]]:
    """Where each is, what it is, and what its class says."""
    for path in sorted((SOURCES / room).rglob("*.py")):
        where = str(path.relative_to(SOURCES))
        for node in ast.parse(path.read_text()).body:
            if not isinstance(node, Described) or node.name.startswith("_"):
                continue
            if isinstance(node, ast.FunctionDef):
                if [a.arg for a in node.args.args] != ACTION or "actions" not in path.parts:
                    yield f"{where} {node.name}", node, ""
                continue
            said = ast.get_docstring(node) or ""
            if not any(ast.unparse(base).endswith("Params") for base in node.bases):
                yield f"{where} {node.name}", node, said
            for method in node.body:
                if isinstance(method, ast.FunctionDef) and not method.name.startswith("_"):
                    yield f"{where} {node.name}.{method.name}", method, said


def undescribed(room: str) -> list[str]:
    return [name for name, node, _ in public(room) if not ast.get_docstring(node)]


def unsaid(room: str) -> list[str]:
    """What is raised in a function itself, not caught there, and not spoken of."""
    found = []
    for name, node, of_class in public(room):
        if not isinstance(node, ast.FunctionDef) or "validator" in " ".join(map(ast.unparse, node.decorator_list)):
            continue
        said = f"{of_class} {ast.get_docstring(node)}"
        caught = {n.id for h in ast.walk(node) if isinstance(h, ast.ExceptHandler) for n in _names(h.type)}
        for raised in (n.exc for n in ast.walk(node) if isinstance(n, ast.Raise) and n.exc is not None):
            kind = raised.func if isinstance(raised, ast.Call) else raised
            if isinstance(kind, ast.Name) and kind.id[0].isupper() and not _told(kind.id, said, caught):
                found.append(f"{name} raises {kind.id}")
    return found


def _names(node: ast.expr | None) -> list[ast.Name]:
    return [n for n in ast.walk(node) if isinstance(n, ast.Name)] if node is not None else []


def _told(kind: str, said: str, caught: set[str]) -> bool:
    its = getattr(builtins, kind, None)
    kinds = {c.__name__ for c in its.__mro__} if isinstance(its, type) else {kind}
    return kind in said or bool(kinds & caught)


def test_everything_public_is_described():
    assert [name for room in ROOMS for name in undescribed(room)] == []


def test_what_is_raised_is_said():
    assert [name for room in ROOMS for name in unsaid(room)] == []


def test_one_that_is_taken_away_is_missed(tmp_path, monkeypatch):
    """The check itself: red for a docstring, and for what one no longer says."""
    room = tmp_path / "core"
    room.mkdir()
    source = (SOURCES / "core" / "base" / "clock.py").read_text()
    said = "Raises ValueError below 0"
    assert said in source
    (room / "clock.py").write_text(source.replace('"""Seconds to which it was turned."""', "pass"))
    (room / "other.py").write_text(source.replace(said, "It may raise"))
    monkeypatch.setattr("tests.test_docstrings.SOURCES", tmp_path)
    assert undescribed("core") == ["core/clock.py HandClock.now_s"]
    assert unsaid("core") == ["core/other.py HandClock.advance raises ValueError"]
