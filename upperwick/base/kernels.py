"""Where compiled kernels are kept: in a cache folder of the person's own, never beside the sources.

Numba keeps a compiled function as long as the file it stands in is unchanged, whatever became of functions in other files that it calls. So
after an update a kernel could go on with the old version of another. Here the cache remembers, for each package of the core, of which sources
its kernels were compiled, those of the packages whose kernels they call among them, and forgets them all when any has changed.
"""

import hashlib
import json
import os
import subprocess
import sys
import tempfile
import zlib
from collections.abc import Mapping
from functools import cache
from pathlib import Path

from upperwick.base.files import write_whole
from upperwick.base.processes import as_child

STAMP, WHOLE = "sources.txt", "whole.json"


def cache_folder() -> Path:
    """The folder: `UPPERWICK_CACHE`, or the one for caches of the person's account, or a temporary one where that cannot be written."""
    chosen = os.environ.get("UPPERWICK_CACHE")
    usual = Path(chosen) if chosen else Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "upperwick"
    there = next(folder for folder in (usual, *usual.parents) if folder.exists())
    return usual if os.access(there, os.W_OK) else Path(tempfile.gettempdir()) / f"upperwick-{os.getuid()}"


def use_cache_folder() -> None:
    """Tells Numba where to keep what it compiles; to be called before it is imported. Writes nothing."""
    os.environ.setdefault("NUMBA_CACHE_DIR", str(cache_folder() / "kernels"))


def spare_numba() -> None:
    """Lets Numba go without SciPy's linear algebra and cffi, which it looks for with the first kernel it loads and no kernel uses: 0.15 s
    of a short command. To be called before it is imported, in a process that needs neither."""
    for name in ("cffi", "scipy.linalg.cython_blas"):
        sys.modules.setdefault(name, None)  # type: ignore[arg-type]  # as Python's import system has it: not there


def kept_in(package: Path) -> Path:
    """Where Numba keeps the kernels of a package: named as numba.core.caching names it."""
    digest = hashlib.sha1(str(package.absolute()).encode(), usedforsecurity=False).hexdigest()
    return Path(os.environ["NUMBA_CACHE_DIR"]) / f"{package.name}_{digest}"


def discard_stale(root: Path) -> list[Path]:
    """Removes the compiled kernels of each package under root whose sources, or those of the packages that it calls, have changed since. Returns
    those packages."""
    packages = {package: b"\0".join(path.read_bytes() for path in sorted(package.glob("*.py"))) for package in _packages(root)}
    packages = {package: source for package, source in packages.items() if b"njit" in source}
    calls = {
        package: {other for other in packages if f"from {root.name}.{other.name}".encode() in source}
        for package, source in packages.items()
    }
    stale = []
    for package in packages:
        digest = _digest([packages[other] for other in sorted(_reached(package, calls))])
        kept = kept_in(package)
        try:
            if (kept / STAMP).exists() and (kept / STAMP).read_text() == digest:
                discard_torn(kept)
                continue
            kept.mkdir(parents=True, exist_ok=True)
            for compiled in kept.glob("*.nb?"):
                compiled.unlink(missing_ok=True)
            write_whole(kept / STAMP, digest.encode())
        except OSError:
            continue  # where nothing can be written nothing was kept either
        stale.append(package)
    return stale


def _packages(root: Path) -> list[Path]:
    return sorted({path.parent for path in root.rglob("*.py")})


def _reached(package: Path, calls: Mapping[Path, set[Path]]) -> set[Path]:
    """The package, those it calls, those they call, and so on."""
    found, left = {package}, [package]
    while left:
        new = calls[left.pop()] - found
        found |= new
        left += new
    return found


def discard_torn(kept: Path) -> None:
    """Removes compiled kernels that may be torn: Numba does not put them on the disk, so after a start of the machine those go that are not what
    they were before it. Their checksums are written while it runs."""
    boot, place = _boot(), kept / WHOLE
    try:
        known = json.loads(place.read_bytes())
        before, seen = str(known["boot"]), {str(name): list(one) for name, one in known["files"].items()}
    except FileNotFoundError:
        before, seen = boot, {}
    except (OSError, ValueError, KeyError, TypeError):
        before, seen = "torn itself", {}
    now: dict[str, list[int]] = {}
    for file in sorted(kept.glob("*.nb?")):
        stat = file.stat()
        entry = seen.get(file.name)
        if entry is None or entry[:2] != [stat.st_size, stat.st_mtime_ns] or before != boot:
            checksum = zlib.crc32(file.read_bytes())
            if before != boot and (entry is None or entry[2] != checksum):
                file.unlink(missing_ok=True)
                continue
            entry = [stat.st_size, stat.st_mtime_ns, checksum]
        now[file.name] = entry
    if now != seen or before != boot or not place.exists():
        write_whole(place, json.dumps({"boot": boot, "files": now}).encode())


def _boot() -> str:
    """Tells one start of the machine from another; "" where the system does not say."""
    try:
        return Path("/proc/sys/kernel/random/boot_id").read_text().strip()
    except OSError:
        return ""


def prepare() -> None:
    """Kernels true to their sources, before any is used."""
    discard_stale(_root())


# What is compiled ahead: what the starter rules need besides patterns, then what books do, then the patterns, then every measure there is.
PARTS = ("starters", "books", "patterns", "measures")


def warm(part: str, starters: Mapping[str, str]) -> None:
    """Compiles a part of the kernels, so that nobody waits for them at the first rule; does nothing where that was done.

    starters: the texts of the starter rules that use no pattern, and of the rules they use, by name.
    """
    if _mark(part).exists():
        return
    from wickcore import warm as core

    if part == "starters":
        core.warm_rules(starters.values(), dict(starters))
    elif part == "books":
        core.warm_books()
    elif part == "patterns":
        core.warm_patterns()
    else:
        core.warm_measures()
    try:
        for old in _mark(part).parent.glob(f"{part}-*"):
            old.unlink()
        _mark(part).parent.mkdir(parents=True, exist_ok=True)
        _mark(part).touch()
    except OSError:
        pass  # where nothing can be kept, each start compiles


def missing() -> list[str]:
    """The parts that are not compiled yet."""
    return [part for part in PARTS if not _mark(part).exists()]


def warm_behind(parts: list[str]) -> None:
    """Compiles parts in another process, beside whatever is done here and no longer than that."""
    if parts:
        subprocess.Popen([sys.executable, "-m", "upperwick.cli", "warm", *parts], stdout=subprocess.DEVNULL, env=as_child())


def _mark(part: str) -> Path:
    """The mark that a part is compiled, for the sources as they are now."""
    return kept_in(_root()) / f"{part}-{state_of_core()}"


def _root() -> Path:
    import wickcore

    return Path(wickcore.__file__).parent


@cache
def state_of_core() -> str:
    """A short name of the core's sources as this process read them: what they compute may differ from what others computed."""
    return _digest([path.read_bytes() for path in sorted(_root().rglob("*.py"))])


def _digest(sources: list[bytes]) -> str:
    return hashlib.blake2b(b"\0".join(sources), digest_size=16).hexdigest()
