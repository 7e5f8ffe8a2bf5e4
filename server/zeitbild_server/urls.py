"""Addresses: the API, and one page for everything that people see."""

from django.urls import include, path, re_path

from handoffs.shared import addresses
from operation.health import health
from operation.metrics import metrics
from zeitbild_server.api import api
from zeitbild_server.page import page

urlpatterns = [
    path("api/", api.urls),
    path("shared/", include(addresses)),
    path("health", health),
    path("metrics", metrics),
    re_path(r"^(?!static/|api/|shared/).*$", page),
]
