"""Counts circles of imports: between files and between folders, functions' own imports included.

Prints each circle, and fails where there is one that ALLOWED does not name.
"""

import ast
import os
import re
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PACKAGES = ("wickcore", "upperwick")
# Those that are left to take apart; a new one fails.
ALLOWED = {
    "files": [
        {"wickcore.language.breadth", "wickcore.language.check", "wickcore.language.expressions", "wickcore.language.forms"},
    ],
    "folders": [
        {"wickcore.language", "wickcore.language.entries"},
        {"upperwick.market", "upperwick.market.columns"},
        {"upperwick.data", "upperwick.data.importing", "upperwick.data.quality"},
    ],
}  # fmt: skip


def modules() -> dict[str, Path]:
    """Every module by its dotted name."""
    files = (file for package in PACKAGES for file in (ROOT / package).rglob("*.py") if "migrations" not in file.parts)
    return {".".join(file.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__"): file for file in files}


def imports_of(file: Path, known: set[str]) -> set[str]:
    """The modules of ours that a file imports anywhere; what is for type checkers alone does not count."""
    found: set[str] = set()
    tree = ast.parse(file.read_text(encoding="utf-8"))
    for_types = {
        id(inner)
        for node in ast.walk(tree)
        if isinstance(node, ast.If) and "TYPE_CHECKING" in ast.dump(node.test)
        for inner in ast.walk(node)
    }
    for node in ast.walk(tree):
        if id(node) in for_types:
            continue
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
            for alias in node.names:
                inner = f"{node.module}.{alias.name}"
                found.add(inner if inner in known else node.module)
    return found & known


IMPORT = re.compile(r"""^\s*(?:import|export)\s+(type\s)?[^'";]*?from\s+'([^']+)'|import\('([^']+)'\)""", re.M)


def web_imports() -> dict[str, set[str]]:
    """The files of the interface by their path, and the files each imports; types alone do not count."""
    source = ROOT / "web" / "src"
    files = {str(file.relative_to(source)): file for end in ("*.ts", "*.svelte") for file in source.rglob(end)}
    files = {name: file for name, file in files.items() if not name.endswith((".test.ts", ".d.ts"))}

    def resolved(file: Path, path: str) -> str | None:
        base = source / "lib" / path.removeprefix("$lib/") if path.startswith("$lib") else file.parent / path
        names = [os.path.relpath(os.path.normpath(f"{base}{end}"), source) for end in ("", ".ts", "/index.ts")]
        return next((name for name in names if name in files), None)

    imports = {}
    for name, file in files.items():
        paths = [path or lazy for types, path, lazy in IMPORT.findall(file.read_text(encoding="utf-8")) if not types]
        imports[name] = {other for each in paths if each[0] in "$." and (other := resolved(file, each)) and other != name}
    return imports


def circles(graph: dict[str, set[str]]) -> list[list[str]]:
    """Strongly connected groups of more than one (R. Tarjan, 1972)."""
    index: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    groups: list[list[str]] = []

    def visit(node: str) -> None:
        index[node] = low[node] = len(index)
        stack.append(node)
        for other in sorted(graph[node]):
            if other not in index:
                visit(other)
                low[node] = min(low[node], low[other])
            elif other in stack:
                low[node] = min(low[node], index[other])
        if low[node] == index[node]:
            group = []
            while True:
                group.append(stack.pop())
                if group[-1] == node:
                    break
            if len(group) > 1:
                groups.append(sorted(group))

    for node in sorted(graph):
        if node not in index:
            visit(node)
    return groups


def folder_of(module: str, known: dict[str, Path]) -> str:
    return module if known[module].name == "__init__.py" else module.rpartition(".")[0]


def main() -> int:
    sys.setrecursionlimit(10_000)
    known = modules()
    files = {name: imports_of(file, set(known)) - {name} for name, file in known.items()}
    folders: dict[str, set[str]] = {}
    for name, used in files.items():
        own = folder_of(name, known)
        folders.setdefault(own, set()).update({folder_of(other, known) for other in used} - {own})
    web = web_imports()
    web_folders: dict[str, set[str]] = {}
    for name, used in web.items():
        folder = str(Path(name).parent)
        web_folders.setdefault(folder, set()).update({str(Path(other).parent) for other in used} - {folder})
    result = {
        "files": circles(files),
        "folders": circles(folders),
        "files of the interface": circles(web),
        "folders of the interface": circles(web_folders),
    }
    for kind, groups in result.items():
        print(f"{len(groups)} circles of {kind}.")
        for group in groups:
            print("  " + ", ".join(group))
    new = [
        group
        for kind, groups in result.items()
        for group in groups
        if not any(set(group) <= allowed for allowed in ALLOWED.get(kind, []))
    ]
    for group in new:
        print(f"New: {', '.join(group)}")
    return 1 if new else 0


if __name__ == "__main__":
    sys.exit(main())
