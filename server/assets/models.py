"""Fonts, pictures and files for elements that people brought along."""

from __future__ import annotations

from django.db import models

from projects.models import Project


class Font(models.Model):
    """An uploaded font of a project; its content lies in the asset folder under its SHA-256."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="fonts")
    sha256 = models.CharField(max_length=64)
    title = models.CharField(max_length=120)
    file_name = models.CharField(max_length=200)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "sha256"], name="one_font")]


class Picture(models.Model):
    """An uploaded picture of a project; its content lies in the asset folder under its SHA-256."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="pictures")
    sha256 = models.CharField(max_length=64)
    file_name = models.CharField(max_length=200)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "sha256"], name="one_picture")]


class LibraryFile(models.Model):
    """A file that elements of a project show (``zeitbild.library``), with what is known of it; its content lies in the asset folder
    under its SHA-256."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="files")
    kind = models.CharField(max_length=40)
    sha256 = models.CharField(max_length=64)
    file_name = models.CharField(max_length=200)
    facts = models.JSONField(default=dict)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "kind", "sha256"], name="one_file")]
