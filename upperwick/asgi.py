"""The ASGI application that uvicorn serves."""

import os

from django.core.asgi import get_asgi_application

from upperwick.kernels import prepare

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upperwick.settings")
prepare()
application = get_asgi_application()
