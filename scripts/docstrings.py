"""Counts what the docstrings of the core leave unsaid, and fails where anything is.

Every public function, method and class says what it is. One that raises says what it raises; one that takes or gives
arrays says their shapes. Private helpers, properties of protocols and what Python itself names are left out.

    python scripts/docstrings.py [FOLDER]"""

import ast
import re
import sys
from collections.abc import Iterator
from pathlib import Path

ARRAYS = {"Floats", "Ints", "Bools"}
SHAPE = re.compile(r"\(\w[\w +*/]*,[^)]*\)|\(\w+\)|same shape|scalar")
Function = ast.FunctionDef | ast.AsyncFunctionDef


def public(tree: ast.Module) -> Iterator[tuple[str, ast.AST, ast.ClassDef | None]]:
    """Public functions and classes of a module, and public methods of its public classes."""
    for node in tree.body:
        if isinstance(node, ast.ClassDef | Function) and not node.name.startswith("_"):
            yield node.name, node, None
            if isinstance(node, ast.ClassDef):
                for inner in node.body:
                    if isinstance(inner, Function) and not inner.name.startswith("_"):
                        yield f"{node.name}.{inner.name}", inner, node


def raises(node: Function) -> bool:
    """Whether a function itself raises, not what is nested in it."""
    waiting = list(node.body)
    while waiting:
        one = waiting.pop()
        if isinstance(one, ast.Raise) and one.exc is not None:
            return True
        if not isinstance(one, ast.ClassDef | Function | ast.Lambda):
            waiting += ast.iter_child_nodes(one)
    return False


def arrays(node: Function) -> bool:
    """Whether its annotations name arrays."""
    hints = [a.annotation for a in (*node.args.args, *node.args.kwonlyargs)] + [node.returns]
    return any(isinstance(n, ast.Name) and n.id in ARRAYS for hint in hints if hint for n in ast.walk(hint))


def unsaid(node: ast.AST, owner: ast.ClassDef | None) -> list[str]:
    """What the docstring of one of them does not say."""
    text = ast.get_docstring(node) or ""  # type: ignore[arg-type]
    if not text:
        return ["has no docstring"]
    if not isinstance(node, Function):
        return []
    whole = text + ((ast.get_docstring(owner) or "") if owner else "")
    missing = []
    if raises(node) and "raise" not in text.casefold():
        missing.append("does not say what it raises")
    if arrays(node) and not SHAPE.search(whole):
        missing.append("does not say the shapes of its arrays")
    return missing


def main(folder: Path) -> int:
    total = good = 0
    for file in sorted(folder.rglob("*.py")):
        for name, node, owner in public(ast.parse(file.read_text())):
            total += 1
            missing = unsaid(node, owner)
            good += not missing
            for words in missing:
                print(f"{file}:{node.lineno}: {name} {words}")  # type: ignore[attr-defined]
    print(f"{good} of {total} public names say what they should ({good / max(total, 1):.0%})")
    return 0 if good == total else 1


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1] if len(sys.argv) > 1 else "kardo/core")))
