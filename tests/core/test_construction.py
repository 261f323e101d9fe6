"""What has more than four fields is made by their names: two of a kind that changed places would not be seen."""

import ast
from pathlib import Path

ROOT = Path(__file__).parents[2] / "kardo"
MOST = 4  # fields told by their place alone


def parsed():
    return {p: ast.parse(p.read_text()) for p in ROOT.rglob("*.py") if "migrations" not in p.parts}


def is_dataclass(node):
    return isinstance(node, ast.ClassDef) and any("dataclass" in ast.unparse(d) for d in node.decorator_list)


def test_no_dataclass_of_many_fields_is_made_by_their_places():
    trees = parsed()
    classes = {node.name for tree in trees.values() for node in ast.walk(tree) if is_dataclass(node)}
    assert len(classes) > 300
    by_place = [
        f"{path.relative_to(ROOT)}:{call.lineno} {call.func.id}"
        for path, tree in trees.items()
        for call in ast.walk(tree)
        if isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id in classes
        if len(call.args) > MOST and not any(isinstance(a, ast.Starred) for a in call.args)
    ]
    assert not by_place
