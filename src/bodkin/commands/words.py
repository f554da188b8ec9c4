"""Every label and sentence of the screens in one list, so that they can be read aloud, and translated."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

from bodkin.store.settings import ROOT

CATALOGUES = ROOT / "web" / "src" / "words"
SENTENCES = ROOT / "src" / "bodkin" / "answers"
PLACE = ROOT / "var" / "words.md"
HEAD = """# Every label and sentence of the screens

Made by `./bodkin words` from the catalogues of the client (`web/src/words/`, one a step) and from the sentences of the
answers (`src/bodkin/answers/`). A gap `{...}` holds what differs from case to case.
"""
_ENTRY = re.compile(r"^  (\w+):\s*(?:\((?:[^()]|\([^()]*\))*\)\s*=>\s*)?([\"`])(.*?)\2,$", re.DOTALL | re.MULTILINE)


def _catalogue(path: Path) -> Iterator[str]:
    """The texts of one catalogue, gaps for what is put in."""
    for _, _, text in _ENTRY.findall(path.read_text(encoding="utf-8")):
        yield re.sub(r"\$\{[^}]*\}", "{...}", text).replace('\\"', '"')


def _spelled(node: ast.JoinedStr | ast.Constant) -> str:
    if isinstance(node, ast.Constant):
        return str(node.value)
    return "".join(part.value if isinstance(part, ast.Constant) else "{...}" for part in node.values)  # type: ignore[misc]


def _sentences(path: Path) -> Iterator[str]:
    """Strings of a module that people read: with a space in them, and not a docstring."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    silent = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            silent |= {id(part) for part in ast.walk(node) if part is not node}
    for node in ast.walk(tree):
        if id(node) in silent or not isinstance(node, (ast.JoinedStr, ast.Constant)):
            continue
        if isinstance(node, ast.Constant) and not isinstance(node.value, str):
            continue
        text = _spelled(node).strip()
        if re.search(r"[A-Za-z]{2,}[^A-Za-z]* [^A-Za-z]*[A-Za-z]{2,}", text):
            yield text


def words_text() -> str:
    """The whole list, each text once where it first stands."""
    parts = [HEAD]
    rooms = [(path.stem, _catalogue(path)) for path in sorted(CATALOGUES.glob("*/*.ts"))]
    modules = [path for path in sorted(SENTENCES.rglob("*.py")) if path.stem != "__init__"]
    rooms += [(f"answers/{path.relative_to(SENTENCES).with_suffix('')}", _sentences(path)) for path in modules]
    for name, texts in rooms:
        once = list(dict.fromkeys(texts))
        if once:
            parts += [f"\n## {name}\n", *(f"- {text}" for text in once)]
    return "\n".join(parts) + "\n"
