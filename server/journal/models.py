"""Entries of the journal."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from projects.models import Project


class Entry(models.Model):
    """Something that somebody did, in a project or at the door."""

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    #: None if the account is gone, or nobody was let in; the name stays.
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    name = models.CharField(max_length=150)
    address = models.CharField(max_length=60, blank=True)
    project = models.ForeignKey(Project, on_delete=models.SET_NULL, null=True, related_name="journal")
    what = models.CharField(max_length=40)
    about = models.CharField(max_length=200, blank=True)

    class Meta:
        indexes = [models.Index(fields=["project", "-id"])]
        ordering = ["-id"]
