"""The computation: no Django, no files, no network, no clock."""

from pathlib import Path

from wickcore.kernels import discard_stale

discard_stale(Path(__file__).parent)
