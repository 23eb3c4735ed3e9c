"""The Django project: settings, ASGI, the command line, one app a room."""
