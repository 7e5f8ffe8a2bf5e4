"""ASGI entry: what uvicorn serves."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "zeitbild_server.settings")
application = get_asgi_application()
