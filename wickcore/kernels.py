"""Keeps compiled kernels true to their sources.

Numba keeps a compiled function as long as the file it stands in is unchanged, whatever became of functions in other files that it calls. So
after an update a kernel could go on with the old version of another. Here each package remembers of which sources its kernels were
compiled, and forgets them all when any has changed.
"""

import hashlib
from pathlib import Path

STAMP = "kernels.txt"


def discard_stale(root: Path) -> list[Path]:
    """Removes the compiled kernels of each package under root whose sources have changed since. Returns those packages."""
    stale = []
    for package in sorted({path.parent for path in root.rglob("*.py")}):
        sources = [path.read_bytes() for path in sorted(package.glob("*.py"))]
        if not any(b"njit" in source for source in sources):
            continue
        digest = hashlib.blake2b(b"\0".join(sources), digest_size=16).hexdigest()
        cache = package / "__pycache__"
        stamp = cache / STAMP
        try:
            if stamp.exists() and stamp.read_text() == digest:
                continue
            cache.mkdir(exist_ok=True)
            for compiled in cache.glob("*.nb?"):
                compiled.unlink(missing_ok=True)
            stamp.write_text(digest)
        except OSError:
            continue  # installed where nothing can be written: nothing was compiled there either
        stale.append(package)
    return stale
