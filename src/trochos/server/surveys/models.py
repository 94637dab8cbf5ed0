"""Stored surveys and cases. A survey is never changed after it is stored."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class StoredSurvey(models.Model):
    """A survey's files, secrets already masked, as one compressed archive."""

    title = models.CharField(max_length=200)
    taken_at = models.DateTimeField(null=True)
    stored_at = models.DateTimeField(auto_now_add=True)
    stored_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    digest = models.CharField(max_length=64, unique=True)
    archive = models.BinaryField()
    device_count = models.PositiveIntegerField()
    unread_count = models.PositiveIntegerField()
    file_count = models.PositiveIntegerField()
    open_lines = models.PositiveIntegerField()
    findings = models.JSONField()
    """How many findings of each severity."""

    class Meta:
        ordering = ("-taken_at", "-id")


class Case(models.Model):
    """One complaint: who cannot reach what. What became of it is computed, not stored."""

    survey = models.ForeignKey(StoredSurvey, on_delete=models.CASCADE, related_name="cases")
    complaint = models.CharField(max_length=300)
    reporter = models.CharField(max_length=100, blank=True)
    sender = models.CharField(max_length=200)
    receiver = models.CharField(max_length=200)
    source = models.CharField(max_length=100, blank=True)
    protocol = models.CharField(max_length=4, default="icmp")
    port = models.PositiveIntegerField(null=True)
    size = models.PositiveIntegerField(default=0)
    dont_fragment = models.BooleanField(default=False)
    opened_at = models.DateTimeField(auto_now_add=True)
    opened_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        ordering = ("id",)
