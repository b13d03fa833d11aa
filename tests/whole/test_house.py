"""The rules of the house: rooms that can be found, methods described in one place, tests that mirror the tree."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

from tests.conftest import ROOT
from verispect.plan.methods.method import METHOD_KEYS, METHODS
from verispect.plan.methods.registry import solver_of

SOURCE = ROOT / "src" / "verispect"
MODULES = sorted(SOURCE.rglob("*.py"))
# Tests of more than one room.
WHOLE = ("whole", "outside")
MOST_IN_A_ROOM = 16
MOST_LINES = 600


def in_methods(path: Path) -> bool:
    return "methods" in path.relative_to(SOURCE).parts


def test_no_room_is_crowded() -> None:
    rooms: dict[Path, int] = {}
    for module in MODULES:
        if module.name != "__init__.py":
            rooms[module.parent] = rooms.get(module.parent, 0) + 1
    assert {str(room): count for room, count in rooms.items() if count > MOST_IN_A_ROOM} == {}


def test_no_module_is_a_heap() -> None:
    long = {str(path): len(path.read_text(encoding="utf-8").splitlines()) for path in MODULES}
    assert {path: lines for path, lines in long.items() if lines > MOST_LINES} == {}
    assert [path for path in MODULES if path.stem in ("utils", "helpers", "functions", "common")] == []


def compared_keys(source: str) -> list[int]:
    """Lines on which something is compared with a method's key."""
    found = []
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Compare):
            parts = [leaf for side in (node.left, *node.comparators) for leaf in ast.walk(side)]
            if any(isinstance(leaf, ast.Constant) and leaf.value in METHOD_KEYS for leaf in parts):
                found.append(node.lineno)
    return found


def test_methods_are_asked_not_compared_by_key() -> None:
    guilty = {
        str(path): lines
        for path in MODULES
        if not in_methods(path)
        for lines in [compared_keys(path.read_text(encoding="utf-8"))]
        if lines
    }
    assert guilty == {}


def test_a_comparison_with_a_key_is_noticed() -> None:
    assert compared_keys("x = a.key in ('tilt', 'other')\ny = 1\nz = 'series' == a") == [1, 3]
    assert compared_keys("x = by_key['tilt']") == []


@pytest.mark.parametrize("method", METHODS, ids=lambda method: method.key)
def test_every_method_has_a_module_of_its_own(method) -> None:
    assert solver_of(method).__module__.endswith(f".methods.{method.key.replace('-', '_')}")


def test_tests_mirror_the_tree() -> None:
    strangers = []
    for path in (ROOT / "tests").rglob("test_*.py"):
        room = path.parent.relative_to(ROOT / "tests")
        if room.parts[:1] and room.parts[0] in WHOLE:
            continue
        if not (SOURCE / room / f"{path.stem.removeprefix('test_')}.py").exists():
            strangers.append(str(path.relative_to(ROOT)))
    assert strangers == []


def names_of(path: Path) -> str:
    parts = path.relative_to(SOURCE.parent).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


def taken_by(path: Path) -> set[str]:
    """Modules of the program that a module names, those for the checking of types too, wherever in it."""
    known = {names_of(module) for module in MODULES}
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
            found |= {f"{node.module}.{alias.name}" for alias in node.names} | {node.module}
    return found & known


def in_a_circle(graph: dict[str, set[str]]) -> set[str]:
    """Modules from which a way of imports leads back to them; those that lead nowhere are taken away in turn."""
    left = {name: set(others) for name, others in graph.items()}
    while True:
        ends = {name for name, others in left.items() if not others & left.keys()}
        if not ends:
            break
        left = {name: others - ends for name, others in left.items() if name not in ends}
    while True:
        wanted = set().union(*left.values()) if left else set()
        loose = left.keys() - wanted
        if not loose:
            return set(left)
        left = {name: others for name, others in left.items() if name not in loose}


def test_no_imports_run_in_a_circle() -> None:
    graph = {names_of(path): taken_by(path) - {names_of(path), "verispect"} for path in MODULES}
    assert in_a_circle(graph) == set()


def test_a_circle_is_noticed() -> None:
    assert in_a_circle({"a": {"b"}, "b": {"c"}, "c": {"a"}, "d": {"a"}, "e": set()}) == {"a", "b", "c"}
    assert in_a_circle({"a": {"b", "c"}, "b": {"c"}, "c": set()}) == set()
