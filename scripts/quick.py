"""Checks what a change touches, in about a minute: lint, types, and the tests that import the changed modules.

Tests that name a changed module themselves come first, those of fewer modules before those of many. What does not fit into SECONDS is left to
`make test`, and counted. Without uncommitted changes, those of the last commit are taken.
"""

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
from scripts.circles import imports_of, modules  # noqa: E402

SECONDS = 30


def changed() -> list[str]:
    """The files that differ from the last commit, new ones included; else those of the last commit."""

    def lines(*words: str) -> list[str]:
        done = subprocess.run(["git", *words], cwd=ROOT, capture_output=True, text=True, check=True)
        return [line for line in done.stdout.splitlines() if (ROOT / line).exists()]

    files = [*lines("diff", "--name-only", "HEAD"), *lines("ls-files", "--others", "--exclude-standard")]
    return sorted(set(files)) or lines("diff", "--name-only", "HEAD~1", "HEAD")


def tests_of(files: list[str]) -> list[str]:
    """The test files that import one of the changed modules, or have changed, the narrowest first. Browser tests are left to `make test`."""
    known = modules()
    dotted = {str(path.relative_to(ROOT)): name for name, path in known.items()}
    wanted = {dotted[file] for file in files if file in dotted}
    tests = {str(path.relative_to(ROOT)): path for path in (ROOT / "tests").rglob("test_*.py") if "browser" not in path.parts}
    uses = {name: imports_of(path, set(known)) for name, path in tests.items()}
    chosen = [name for name in tests if name in files or uses[name] & wanted]
    return sorted(chosen, key=lambda name: (name not in files, len(uses[name]), name))


def main() -> int:
    files = changed()
    python = [file for file in files if file.endswith(".py")]
    web = [file.removeprefix("web/") for file in files if file.startswith("web/src/") and file.endswith((".ts", ".svelte"))]
    tests = tests_of(files)
    steps: list[tuple[str, list[str]]] = []
    if python:
        steps += [("", [".venv/bin/ruff", "check", *python]), ("", [".venv/bin/mypy"])]
    if tests:
        steps.append(("", [".venv/bin/pytest", "-q", "-x", "-n", "2", "--seconds", str(SECONDS), *tests]))
    if web:
        steps.append(("web", ["npx", "vitest", "related", "--run", *web]))
    for folder, words in steps:
        if subprocess.run(words, cwd=ROOT / folder).returncode:
            return 1
    print(f"{len(files)} changed files; {len(tests)} test files looked at." if steps else "Nothing that has tests has changed.")
    return 0


if __name__ == "__main__":
    sys.exit(main())
