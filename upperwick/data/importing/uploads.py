"""Files that were sent and not yet taken: each upload a folder of its account's own, cleared after a day."""

import json
import secrets
import shutil
import time
from collections.abc import Iterable
from pathlib import Path, PurePosixPath
from typing import Any

from django.conf import settings

from upperwick.base.errors import Refused
from upperwick.base.files import keep_from_others
from upperwick.data.reading.endings import PRICE_FILES

MOST_FILES, MOST_BYTES = 2_000, 4_000_000_000
KEPT_SECONDS = 86_400
ASKED = ".asked.json"  # beside an upload that was made of files of the drop folder: their names there
TAKEN = (*PRICE_FILES, ".zip")


def room() -> Path:
    return keep_from_others(Path(settings.DATA_DIR) / "uploads")


def receive(owner: Any, files: Iterable[Any]) -> str:
    """Keeps what was sent until it is taken. Returns the upload's name. Raises Refused."""
    given = list(files)
    if not given:
        raise Refused("No file was sent; choose one or more.")
    if len(given) > MOST_FILES:
        raise Refused(
            f"{len(given):,} files at once are too many; at most {MOST_FILES} are taken. A folder can be sent as one zip."
        )
    if sum(f.size for f in given) > MOST_BYTES:
        raise Refused(f"Together they are larger than {MOST_BYTES / 1e9:.0f} GB; import them with `upperwick import` instead.", 413)
    names = [PurePosixPath(f.name.replace("\\", "/")).name.encode("utf-8", "replace").decode() for f in given]
    for name in names:
        if Path(name).suffix.lower() not in TAKEN:
            raise Refused(f"{name[:100]} is none of the files that are understood: {', '.join(TAKEN)}.")
        if names.count(name) > 1:
            raise Refused(f"Two of the files are called {name[:100]}; send one after the other.")
    _clear_old()
    token = secrets.token_hex(12)
    folder = room() / f"{owner.pk}-{token}"
    folder.mkdir(parents=True, mode=0o700)
    try:
        for name, file in zip(names, given, strict=True):
            with (folder / name.encode()[-200:].decode(errors="ignore")).open("wb") as into:
                for chunk in file.chunks():
                    into.write(chunk)
    except BaseException:  # a full disk, mostly: what came is no use without the rest
        shutil.rmtree(folder, ignore_errors=True)
        raise
    return token


def from_asked(owner: Any, files: list[Path]) -> str:
    """Files of the drop folder that wait for an answer, as an upload of this account. Returns its name. Raises Refused."""
    if not files:
        raise Refused("No file waits for an answer any more.", 404)
    _clear_old()
    token = secrets.token_hex(12)
    folder = room() / f"{owner.pk}-{token}"
    folder.mkdir(parents=True)
    for file in files:
        stamped = file.name.split("-", 2)
        name = stamped[2] if len(stamped) == 3 and not (folder / stamped[2]).exists() else file.name
        shutil.copyfile(file, folder / name)
    (folder / ASKED).write_text(json.dumps([file.name for file in files]), encoding="utf-8")
    return token


def asked_of(owner: Any, token: str) -> list[str]:
    """The files of the drop folder that an upload was made of, by their names there."""
    listed = room() / f"{owner.pk}-{token}" / ASKED
    return list(json.loads(listed.read_text(encoding="utf-8"))) if token.isalnum() and listed.is_file() else []


def files_of(owner: Any, token: str) -> list[Path]:
    """The files of an upload of this account. Raises Refused."""
    folder = room() / f"{owner.pk}-{token}"
    if not token.isalnum() or not folder.is_dir():
        raise Refused("These files are no longer kept; choose them again.", 404)
    return sorted(p for p in folder.iterdir() if p.name != ASKED)


def forget(owner: Any, token: str) -> None:
    """Removes an upload."""
    if token.isalnum():
        shutil.rmtree(room() / f"{owner.pk}-{token}", ignore_errors=True)


def _clear_old() -> None:
    if not room().is_dir():
        return
    for folder in room().iterdir():
        if time.time() - folder.stat().st_mtime > KEPT_SECONDS:
            shutil.rmtree(folder, ignore_errors=True)
