"""The application, which registers its checks."""

from __future__ import annotations

from django.apps import AppConfig


class OperationConfig(AppConfig):
    """See the module."""

    name = "operation"

    def ready(self) -> None:
        """Register the checks."""
        from operation import checks  # noqa: F401
