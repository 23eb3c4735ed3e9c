"""Files that the program writes for itself: whole or not at all, whenever the power goes."""

import os
import shutil
from contextlib import suppress
from pathlib import Path
from tempfile import TemporaryDirectory, gettempdir

TEMPORARY = "upperwick-"  # how the names of folders in the temporary directory begin, followed by a process's number


def write_whole(path: Path, content: bytes, mode: int = 0o600) -> None:
    """Writes a file beside its place, on the disk, and puts it there."""
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    file = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, mode)
    try:
        with os.fdopen(file, "wb") as out:
            out.write(content)
            out.flush()
            os.fsync(out.fileno())
        part.replace(path)
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    sync_folder(path.parent)


def keep_from_others(folder: Path) -> Path:
    """Makes a folder where there is none, and lets nobody but its owner and their group read it. Returns it."""
    folder.mkdir(parents=True, exist_ok=True)
    mode = folder.stat().st_mode & 0o777
    if mode & 0o007:
        with suppress(OSError):  # of somebody else's
            folder.chmod(mode & ~0o007)
    return folder


def temporary_folder() -> "TemporaryDirectory[str]":
    """A folder that goes when it is done with; those of processes that were killed before they could remove theirs go first."""
    for left in Path(gettempdir()).glob(f"{TEMPORARY}*"):
        number = left.name.removeprefix(TEMPORARY).partition("-")[0]
        if number.isdigit() and not _is_running(int(number)):
            shutil.rmtree(left, ignore_errors=True)
    return TemporaryDirectory(prefix=f"{TEMPORARY}{os.getpid()}-")


def _is_running(number: int) -> bool:
    try:
        os.kill(number, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


def sync(path: Path) -> None:
    """Puts a file's content on the disk."""
    file = os.open(path, os.O_RDONLY)
    try:
        os.fsync(file)
    finally:
        os.close(file)


def sync_folder(folder: Path) -> None:
    """Puts the names in a folder on the disk, where the system can."""
    try:
        sync(folder)
    except OSError:  # folders cannot be opened everywhere
        return


def stands(place: tuple[Path, int]) -> bool:
    """Whether at a path there still is what was there, told by its inode."""
    try:
        return place[0].stat().st_ino == place[1]
    except OSError:
        return False
