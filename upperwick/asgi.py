"""The ASGI application that uvicorn serves."""

import os
import threading

import django
from django.urls import get_resolver

from upperwick.base.kernels import prepare
from upperwick.base.processes import end_with_parent, processes, steady_memory

end_with_parent()
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upperwick.settings")
prepare()
steady_memory()
django.setup()

from upperwick.handler import Handler  # noqa: E402

application = Handler()
_ = get_resolver().url_patterns  # read now, and not by the first who asks

if processes() > 1:  # one of several, which the one that keeps them does not prepare
    from upperwick.prefetch import fetch_ahead

    now = threading.Event()
    now.set()
    fetch_ahead(now)
