"""Timings. Kernels that were compiled of other sources are discarded first, as the application does when it starts."""

from upperwick.base.kernels import prepare

prepare()
