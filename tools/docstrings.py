"""Whether the core's public functions say what they take and give: shapes of arrays, and what they raise.

A function is public when its room lists it in `__all__`. Where it takes or gives arrays its docstring names a shape, as (n, 3), (layers,)
or 4 x 4; where it raises an error of ours, or what it calls by name does, it has a section that says so. Run by `make lint`.
"""

from __future__ import annotations

import ast
import re
import sys
from pathlib import Path

CORE = Path(__file__).parents[1] / "src" / "wideberth" / "core"
SHAPE = re.compile(r"\(\s*\w[\w .·×+-]*,[^)]*\)|\d \S \d|row-major")
ARRAY = re.compile(r"NDArray|ndarray")


def public_names(room: Path) -> set[str]:
    """What a room lists for others."""
    tree = ast.parse((room / "__init__.py").read_text(encoding="utf-8"))
    for node in tree.body:
        if isinstance(node, ast.Assign) and getattr(node.targets[0], "id", "") == "__all__":
            return set(ast.literal_eval(node.value))
    return set()


def raised(function: ast.FunctionDef) -> set[str]:
    """Errors that a function raises itself, by name."""
    names = set()
    for node in ast.walk(function):
        if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call) and isinstance(node.exc.func, ast.Name):
            names.add(node.exc.func.id)
    return {name for name in names if name[0].isupper()}


def faults(function: ast.FunctionDef) -> list[str]:
    """What a function's docstring lacks."""
    text = ast.get_docstring(function) or ""
    lacks = [] if text else ["a docstring"]
    arguments = [*function.args.args, *function.args.kwonlyargs]
    annotations = [ast.unparse(a.annotation) for a in arguments if a.annotation is not None]
    annotations += [ast.unparse(function.returns)] if function.returns is not None else []
    if any(ARRAY.search(a) for a in annotations) and not SHAPE.search(text):
        lacks.append("the shape of its arrays")
    for name in sorted(raised(function)):
        if "Raises" not in text or name not in text:
            lacks.append(f"that it raises {name}")
    return lacks


def main() -> int:
    """Print what is missing; how many functions lack something."""
    bad = 0
    for room in sorted(p.parent for p in CORE.glob("*/__init__.py")):
        names = public_names(room)
        for file in sorted(room.rglob("*.py")):
            for node in ast.parse(file.read_text(encoding="utf-8")).body:
                if isinstance(node, ast.FunctionDef) and node.name in names and (lacks := faults(node)):
                    bad += 1
                    print(f"{file.relative_to(CORE.parents[2])}:{node.lineno}: {node.name} does not say {', '.join(lacks)}")
    return bad


if __name__ == "__main__":
    sys.exit(1 if main() else 0)
