"""Addresses: the API, and one page for everything that people see."""

from django.urls import path, re_path

from zeitbild_server.api import api
from zeitbild_server.page import page

urlpatterns = [
    path("api/", api.urls),
    re_path(r"^(?!static/|api/).*$", page),
]
