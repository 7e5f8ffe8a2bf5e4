"""Projects and memberships."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Project(models.Model):
    """A set of shots with common defaults. Deleting keeps it for undo."""

    code = models.CharField(max_length=40)
    title = models.CharField(max_length=120)
    #: Raster, rate and naming rule that new shots start with: part of a shot document.
    defaults = models.JSONField(default=dict)
    #: File-name rules that are kept to choose from: name and rule of each, by name.
    naming_rules = models.JSONField(default=dict)
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True, blank=True)
    members = models.ManyToManyField(settings.AUTH_USER_MODEL, through="Membership", related_name="projects")

    def __str__(self) -> str:
        return self.title


class Role(models.TextChoices):
    """What a person may do in a project; each may what those before may."""

    VIEWER = "viewer"
    EDITOR = "editor"
    OWNER = "owner"

    @property
    def rank(self) -> int:
        """Higher may more."""
        return list(Role).index(self)


class Membership(models.Model):
    """A person's place in a project. Only members reach its data."""

    role = models.CharField(max_length=10, choices=Role.choices, default=Role.EDITOR)
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "user"], name="one_membership")]
