"""Compiled kernels do not outlive their sources."""

import subprocess
import sys
from pathlib import Path

import pytest

from upperwick.base import kernels
from upperwick.base.kernels import STAMP, WHOLE, discard_stale, kept_in
from wickcore.measures import windows


def test_a_change_in_any_source_of_a_package_discards_its_kernels_and_no_others(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path / "cache"))
    root = tmp_path / "sources"
    for name in ("one", "two"):
        (root / name).mkdir(parents=True)
        (root / name / "a.py").write_text("from numba import njit\n")
        (root / name / "b.py").write_text("import a\n")
    (root / "plain").mkdir()
    (root / "plain" / "c.py").write_text("x = 1\n")
    assert discard_stale(root) == [root / "one", root / "two"]
    compiled = [kept_in(root / name) / f"a.f-1.{kind}" for name in ("one", "two") for kind in ("nbi", "nbc")]
    for path in compiled:
        path.write_text("code")
    assert discard_stale(root) == []
    assert all(path.exists() for path in compiled)
    (root / "one" / "b.py").write_text("import a  # another\n")
    assert discard_stale(root) == [root / "one"]
    assert [path.exists() for path in compiled] == [False, False, True, True]
    assert not (kept_in(root / "plain") / STAMP).exists()
    for name, called in (("three", "two"), ("four", "three")):
        (root / name).mkdir()
        (root / name / "a.py").write_text(f"from numba import njit\nfrom sources.{called}.a import f\n")
    assert discard_stale(root) == [root / "four", root / "three"]
    (root / "two" / "b.py").write_text("import a  # another\n")
    assert discard_stale(root) == [root / "four", root / "three", root / "two"]  # they call what stands there
    assert {path.suffix for path in root.rglob("*") if path.is_file()} == {".py"}  # nothing is written beside the sources


def test_kernels_that_a_power_cut_tore_are_compiled_anew(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    names = ("whole.nbi", "zeroed.nbc", "empty.nbi", "never-seen.nbc")
    monkeypatch.setattr(kernels, "_boot", lambda: "first")
    for name in names[:3]:
        (tmp_path / name).write_bytes(b"code of a kernel")
    kernels.discard_torn(tmp_path)
    (tmp_path / names[3]).write_bytes(b"compiled later")
    kernels.discard_torn(tmp_path)
    (tmp_path / "after.nbc").write_bytes(b"compiled after the last look")
    (tmp_path / names[1]).write_bytes(bytes(16))
    (tmp_path / names[2]).write_bytes(b"")
    monkeypatch.setattr(kernels, "_boot", lambda: "second")
    kernels.discard_torn(tmp_path)
    assert sorted(p.name for p in tmp_path.glob("*.nb?")) == ["never-seen.nbc", "whole.nbi"]
    (tmp_path / WHOLE).write_bytes(b"")
    kernels.discard_torn(tmp_path)
    assert list(tmp_path.glob("*.nb?")) == []


def test_numba_keeps_kernels_where_we_look_for_them(tmp_path: Path) -> None:
    from numba.core.caching import _CacheLocator

    package = Path(windows.__file__).parent
    assert kept_in(package).name == _CacheLocator.get_suitable_cache_subpath(windows.__file__)


def test_the_commands_about_the_language_alone_import_no_arrays() -> None:
    """Half a second that a person would wait for a sentence."""
    program = "import upperwick.cli.main, upperwick.cli.language, sys; print({'numpy', 'numba', 'django'} & set(sys.modules))"
    assert subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True).stdout == "set()\n"
