"""The shape of the house: how long a module, how full a folder, how much of a class is public."""

import ast
from collections.abc import Iterator
from pathlib import Path

import grimp

import ribalta

SOURCE = Path(ribalta.__file__).parent
HOUSE = SOURCE.parent.parent
LINES, MODULES, MEMBERS = 400, 20, 15


def members_of(node: ast.ClassDef) -> set[str]:
    """What of a class can be used from outside: what it defines, and what is given to `self` anywhere in it."""
    found = set[str]()
    for child in node.body:
        match child:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name):
                found.add(name)
            case ast.AnnAssign(target=ast.Name(id=name)):
                found.add(name)
            case ast.Assign(targets=targets):
                found |= {target.id for target in targets if isinstance(target, ast.Name)}
        for part in ast.walk(child):
            match part:
                case ast.Attribute(value=ast.Name(id="self"), attr=name, ctx=ast.Store()):
                    found.add(name)
    return {name for name in found if not name.startswith("_")}


def classes_in(*folders: str) -> Iterator[tuple[str, ast.ClassDef]]:
    for folder in folders:
        for path in sorted((SOURCE / folder).rglob("*.py")):
            for node in ast.walk(ast.parse(path.read_text("utf-8"))):
                if isinstance(node, ast.ClassDef):
                    yield f"{path.relative_to(SOURCE)}: {node.name}", node


def test_no_module_is_too_long_and_no_folder_too_full() -> None:
    modules = [path for room in ("src", "tests", "bench") for path in (HOUSE / room).rglob("*.py")]
    lengths = {path: len(path.read_text("utf-8").splitlines()) for path in modules}
    assert not {str(path): n for path, n in lengths.items() if n > LINES}
    full = {path.parent: len(list(path.parent.glob("*.py"))) for path in modules if SOURCE in path.parents}
    assert not {str(folder): n for folder, n in full.items() if n > MODULES + 1}  # `__init__.py` is not counted


def test_no_class_of_the_server_or_the_shell_is_a_thing_of_everything() -> None:
    found = {where: sorted(members_of(node)) for where, node in classes_in("server", "desk/shell")}
    assert len(found) > 40
    assert not {where: names for where, names in found.items() if len(names) > MEMBERS}


def test_no_module_needs_itself_by_way_of_others() -> None:
    """Not even for types: whoever reads one of a circle has to read them all."""
    graph = grimp.build_graph("ribalta")
    left = {module: set(graph.find_modules_directly_imported_by(module)) for module in graph.modules}
    while ground := {module for module, needs in left.items() if not needs}:
        left = {module: needs - ground for module, needs in left.items() if module not in ground}
    assert not left
