"""Compiled kernels do not outlive their sources."""

from pathlib import Path

from wickcore.kernels import STAMP, discard_stale


def test_a_change_in_any_source_of_a_package_discards_its_kernels_and_no_others(tmp_path: Path) -> None:
    for name in ("one", "two"):
        (tmp_path / name / "__pycache__").mkdir(parents=True)
        (tmp_path / name / "a.py").write_text("from numba import njit\n")
        (tmp_path / name / "b.py").write_text("import a\n")
    (tmp_path / "plain").mkdir()
    (tmp_path / "plain" / "c.py").write_text("x = 1\n")
    assert discard_stale(tmp_path) == [tmp_path / "one", tmp_path / "two"]
    compiled = [tmp_path / name / "__pycache__" / f"a.f-1.{kind}" for name in ("one", "two") for kind in ("nbi", "nbc")]
    for path in compiled:
        path.write_text("code")
    assert discard_stale(tmp_path) == []
    assert all(path.exists() for path in compiled)
    (tmp_path / "one" / "b.py").write_text("import a  # another\n")
    assert discard_stale(tmp_path) == [tmp_path / "one"]
    assert [path.exists() for path in compiled] == [False, False, True, True]
    assert not (tmp_path / "plain" / "__pycache__" / STAMP).exists()
