"""Files that the program writes for itself: whole or not at all, whenever the power goes."""

import os
from pathlib import Path


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
