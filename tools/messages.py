"""Write docs/messages.md: every refusal and every finding of the code, with what to do about it.

    .venv/bin/python tools/messages.py        the page on standard output; tools/client keeps it, and fails where it is stale

A message is read where it is made: of each call that makes one, what happened and the way out, with ‹…› for what differs from
case to case. What is put together elsewhere (from a table, say) stands there as the name of what it comes from.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator, Mapping
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
# What makes a message: the places of what happened and of the way out among its arguments, and their names.
MAKERS = {
    "TexelError": (1, 2),
    "Overtaken": (1, 2),
    "Refused": (2, 3),
    "Finding": (None, None),
    "MasterFinding": (None, None),
    "TargetProblem": (None, None),
    "ReceiptFinding": (None, None),
    "finding": (2, 3),
    "error": (1, 2),
}
HAPPENED, WAY_OUT = ("problem", "message"), ("way_out",)
ROOMS = {"texelcore": "The core", "texelcli": "The command line", "texelweb": "The server", "texeldock": "The dock"}


def main() -> None:
    """Print the page."""
    print("# Messages\n")
    print("Made from the code by `tools/messages.py`: what may happen, and the way out that is said with it. ‹…› is filled in.")
    for package, title in ROOMS.items():
        print(f"\n## {title}")
        modules = {path: ast.parse(path.read_text("utf-8")) for path in sorted((ROOT / "src" / package).rglob("*.py"))}
        named = dict(pair for module in modules.values() for pair in sentences(module))
        for room, module in modules.items():
            found = sorted(set(messages(module, named | dict(sentences(module)))))
            if found:
                print(f"\n### `{room.relative_to(ROOT / 'src' / package).with_suffix('')}`\n")
            for happened, way_out in found:
                print(f"- {happened}" + (f" *{way_out}*" if way_out else ""))


def sentences(module: ast.Module) -> Iterator[tuple[str, str]]:
    """The sentences that a module names."""
    for node in module.body:
        if isinstance(node, ast.Assign) and isinstance(node.value, ast.Constant) and isinstance(node.value.value, str):
            yield from ((target.id, node.value.value) for target in node.targets if isinstance(target, ast.Name))


def messages(module: ast.Module, named: Mapping[str, str]) -> Iterator[tuple[str, str]]:
    """What happened and the way out of each call that makes a message; `named` are sentences by their constants."""
    for node in ast.walk(module):
        name = getattr(getattr(node, "func", None), "attr", getattr(getattr(node, "func", None), "id", ""))
        if not isinstance(node, ast.Call) or name not in MAKERS:
            continue
        given = [_argument(node, at, names) for at, names in zip(MAKERS[name], (HAPPENED, WAY_OUT), strict=True)]
        if given[0] is not None and any(_words(part) for part in given):
            yield _said(given[0], named), "" if given[1] is None else _said(given[1], named)


def _argument(call: ast.Call, at: int | None, names: tuple[str, ...]) -> ast.expr | None:
    for keyword in call.keywords:
        if keyword.arg in names:
            return keyword.value
    return call.args[at] if at is not None and at < len(call.args) else None


def _words(node: ast.expr | None) -> bool:
    """Whether an expression has words of its own, and is not only handed on."""
    return node is not None and any(isinstance(part, ast.Constant) and isinstance(part.value, str) for part in ast.walk(node))


def _said(node: ast.expr, named: Mapping[str, str]) -> str:
    if isinstance(node, ast.Constant):
        return str(node.value)
    if isinstance(node, ast.Name) and node.id in named:
        return named[node.id]
    if isinstance(node, ast.JoinedStr):
        return "".join(_said(part, named) for part in node.values)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        return _said(node.left, named) + _said(node.right, named)
    if isinstance(node, ast.IfExp):
        return f"{_said(node.body, named)} | {_said(node.orelse, named)}"
    if isinstance(node, ast.FormattedValue):
        return _said(node.value, named)
    return f"‹{ast.unparse(node).replace(chr(10), ' ')}›"


if __name__ == "__main__":
    main()
