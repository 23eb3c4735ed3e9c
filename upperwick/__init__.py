"""The Django project: settings, ASGI, the command line, one app a room."""

from upperwick.base.kernels import use_cache_folder

use_cache_folder()
