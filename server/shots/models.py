"""Shots and revisions."""

from __future__ import annotations

from datetime import datetime
from threading import Lock

from cachetools import LRUCache
from django.conf import settings
from django.db import models

from projects.models import Project, Role
from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot as ShotDocument


class Shot(models.Model):
    """A shot. ``current`` is the revision that people see; undo and redo move it along the revisions' tree."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="shots")
    code = models.CharField(max_length=40)
    title = models.CharField(max_length=120)
    current = models.ForeignKey("Revision", on_delete=models.PROTECT, related_name="+", null=True)
    deleted_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"{self.code} {self.title}"

    @property
    def own_role(self) -> Role:
        """What the person is who asked for this shot (``selectors.shots_of``)."""
        return Role(vars(self)["asked_as"])

    @property
    def is_put_away(self) -> bool:
        """Whether this shot or its project was deleted; both can be brought back."""
        return self.deleted_at is not None or self.project.deleted_at is not None

    def current_document(self) -> ShotDocument:
        """The document of the current revision."""
        assert self.current is not None
        return self.current.read()


#: Documents of revisions, which never change, as they were read.
_read: LRUCache[tuple[int, datetime], ShotDocument] = LRUCache(256)
_reading = Lock()


class Revision(models.Model):
    """One saved state of a shot's document. Never changed, never removed: no edit is lost."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="revisions")
    parent = models.ForeignKey("self", on_delete=models.CASCADE, related_name="children", null=True)
    document = models.JSONField()
    label = models.CharField(max_length=120, blank=True)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    saved_at = models.DateTimeField(auto_now_add=True)

    def read(self) -> ShotDocument:
        """The document, read (and brought up to date, if an older version wrote it) once."""
        with _reading:
            found = _read.get((self.pk, self.saved_at))
        return found or self.keep_read(read_shot(self.document))

    def keep_read(self, document: ShotDocument) -> ShotDocument:
        """Take note of the document of a revision that was just written: nobody has to read it again."""
        with _reading:
            _read[self.pk, self.saved_at] = document
        return document
