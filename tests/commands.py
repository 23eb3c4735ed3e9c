"""The command line as a person runs it: a process for each command, but one that begins with the program read in already, which takes longer
than most commands do."""

import fcntl
import hashlib
import json
import multiprocessing
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
DATABASE = "upperwick.sqlite3"
MIGRATE = "import django; django.setup(); from django.core.management import call_command; call_command('migrate', verbosity=0)"
COMMAND = [str(Path(sys.executable).with_name("upperwick"))]
SECONDS, STREAMS = 240, ("in", "out", "err")
_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload(
    [
        "upperwick.cli.main",
        "upperwick.cli.shared",
        "arch.bootstrap",
        "matplotlib.figure",
        "numba",
        "pandas",
        "polars",
        "pyarrow.parquet",
        "django.core.management",
        "django.db.models",
        "pydantic",
        "uvicorn",
        "wickcore.scan.patterns",
        "wickcore.scan.scan",
        "wickcore.study.breakdowns",
        "wickcore.study.follow",
        "wickcore.study.settings",
        "wickcore.study.sweep",
        "upperwick.cli.study_options",
        "wickcore.warm",
        "tests.commands",
    ]
)


def _empty(data: Path) -> None:
    """A new data folder gets a copy of an empty database: making one takes longer than most commands."""
    target, kept = data / DATABASE, ROOT / ".stamps" / "test-data" / f"empty-{_migrations()}.sqlite3"
    if target.exists() or not data.parent.exists():
        return
    kept.parent.mkdir(parents=True, exist_ok=True)
    with (kept.parent / "empty.lock").open("w") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        if not kept.exists():
            with tempfile.TemporaryDirectory(dir=kept.parent) as room:
                environment = {"UPPERWICK_DATA": room, "DJANGO_SETTINGS_MODULE": "upperwick.settings"}
                assert Begun([], environment, MIGRATE).ended().returncode == 0
                Path(room, DATABASE).rename(kept)
    data.mkdir(exist_ok=True)
    shutil.copyfile(kept, target)
    target.chmod(0o600)


@cache
def _migrations() -> str:
    found = sorted((ROOT / "upperwick").glob("*/migrations/*.py"))
    return hashlib.blake2b(b"\0".join(path.read_bytes() for path in found), digest_size=8).hexdigest()


def _begun(program: str | None, arguments: list[str], folder: str, environment: dict[str, str]) -> None:
    """In the process of the command: its streams are files of the folder, its exit code is the process's."""
    os.environ.update(environment)
    for number, name in enumerate(STREAMS):
        os.dup2(os.open(Path(folder, name), os.O_WRONLY if number else os.O_RDONLY), number)
    sys.stdin, sys.stdout, sys.stderr = (os.fdopen(number, "w" if number else "r", closefd=False) for number in range(3))
    sys.argv = [(program and "-c") or COMMAND[0], *arguments]
    from upperwick.cli.main import main

    try:
        if program is None:
            sys.exit(main())
        exec(program, {"__name__": "__main__"})  # noqa: S102 - a program of the tests' own
    finally:
        sys.stdout.flush()
        sys.stderr.flush()


class Begun:
    """A command that runs. program: source that runs instead of the command line. text: what is typed in."""

    def __init__(self, arguments: Sequence[str], environment: dict[str, str], program: str | None = None, text: str = "") -> None:
        self.arguments = list(arguments)
        self.folder = tempfile.TemporaryDirectory()
        for name in STREAMS:
            Path(self.folder.name, name).write_text(text if name == "in" else "")
        self.process = _context.Process(target=_begun, args=(program, self.arguments, self.folder.name, environment))
        self.process.start()

    def ended(self) -> subprocess.CompletedProcess[str]:
        """What it said, once it has ended."""
        self.process.join(SECONDS)
        if self.process.exitcode is None:
            self.process.kill()
            raise AssertionError(f"upperwick {' '.join(self.arguments)} has not ended after {SECONDS} s")
        with self.folder as folder:
            said, errors = (Path(folder, name).read_text() for name in STREAMS[1:])
        return subprocess.CompletedProcess([*COMMAND, *self.arguments], self.process.exitcode, said, errors)


def run(*arguments: str, text: str | None = None, data: Path | None = None) -> subprocess.CompletedProcess[str]:
    """text: what is typed in. data: the folder with the database, none by default; a new one gets an empty one."""
    if data is not None:
        _empty(data)
    return Begun(arguments, {"UPPERWICK_DATA": str(data or "/nonexistent/never-made")}, text=text or "").ended()


def script(program: str, *arguments: str, data: Path) -> Begun:
    """A program of its own over the database in the folder, an empty one where there is none."""
    _empty(data)
    return Begun(arguments, {"UPPERWICK_DATA": str(data), "DJANGO_SETTINGS_MODULE": "upperwick.settings"}, program)


def answer(*arguments: str, text: str | None = None, data: Path | None = None) -> Any:
    done = run(*arguments, "--json", text=text, data=data)
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)
