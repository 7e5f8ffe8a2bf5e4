"""Fonts, pictures and files for elements that people brought along."""

from __future__ import annotations

from typing import TypeVar

from django.db import models

from projects.models import Project

T = TypeVar("T", bound=models.Model)


class Present(models.Manager[T]):
    """What was not put away."""

    def get_queryset(self) -> models.QuerySet[T]:
        """See ``models.Manager``."""
        return super().get_queryset().filter(deleted_at=None)


class Brought(models.Model):
    """A file of a project; its content lies in the asset folder under its SHA-256. ``every`` are those that were put away, too: shots
    that are undone to where they had one still have it."""

    sha256 = models.CharField(max_length=64)
    file_name = models.CharField(max_length=200)
    added_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True, default=None)

    class Meta:
        abstract = True


class Font(Brought):
    """An uploaded font."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="fonts")
    title = models.CharField(max_length=120)
    #: Names of its styles, if it has several.
    styles = models.JSONField(default=list)
    objects = Present["Font"]()
    every = models.Manager["Font"]()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "sha256"], name="one_font")]


class Picture(Brought):
    """An uploaded picture."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="pictures")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    objects = Present["Picture"]()
    every = models.Manager["Picture"]()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "sha256"], name="one_picture")]


class LibraryFile(Brought):
    """A file that elements show (``zeitbild.library``), with what is known of it."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="files")
    kind = models.CharField(max_length=40)
    facts = models.JSONField(default=dict)
    objects = Present["LibraryFile"]()
    every = models.Manager["LibraryFile"]()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "kind", "sha256"], name="one_file")]


class Kept(models.Model):
    """Something that people made and keep in the project under a name: a finish, a set of lights, a camera, an element, or the forms of a hand-off."""

    class Kind(models.TextChoices):
        """What it is."""

        FINISH = "finish"
        LIGHTS = "lights"
        CAMERA = "camera"
        ELEMENT = "element"
        FORMS = "forms"

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="kept")
    kind = models.CharField(max_length=20, choices=Kind.choices)
    name = models.CharField(max_length=80)
    content = models.JSONField()
    added_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True, default=None)
    objects = Present["Kept"]()
    every = models.Manager["Kept"]()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["project", "kind", "name"], condition=models.Q(deleted_at=None), name="one_kept"
            )
        ]
