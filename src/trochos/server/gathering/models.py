"""What is stored of gathering. Secrets are sealed; what came back is masked already."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from ...gather.inventory import METHODS, Target
from ..surveys.models import StoredSurvey


class StoredCredential(models.Model):
    """A credential, sealed. Which parts it has is known; what they are is not."""

    name = models.CharField(max_length=100, unique=True)
    username = models.CharField(max_length=200, blank=True)
    parts = models.JSONField(default=list)
    sealed = models.BinaryField()
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("name",)


class InventoryDevice(models.Model):
    """One device to gather from."""

    name = models.CharField(max_length=100, unique=True)
    address = models.CharField(max_length=253)
    method = models.CharField(max_length=10, choices=[(m, m) for m in METHODS])
    port = models.PositiveIntegerField()
    group = models.CharField(max_length=100, blank=True)
    credential = models.ForeignKey(
        StoredCredential, on_delete=models.PROTECT, related_name="devices"
    )
    key = models.CharField(max_length=100, blank=True)
    """The fingerprint that a person trusted; empty where nobody has."""
    trusted_at = models.DateTimeField(null=True)
    trusted_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    shown_key = models.CharField(max_length=100, blank=True)
    """What the device showed last, where that is not the trusted one."""
    outcome = models.CharField(max_length=20, blank=True)
    says = models.TextField(blank=True)
    """Why the last gathering or test failed."""
    seen_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("name",)

    @property
    def target(self) -> Target:
        return Target(
            self.name,
            self.address,
            self.method,
            self.port,
            self.credential.name,
            self.group,
            self.key or None,
        )


class AllowedNetwork(models.Model):
    """A network that live work may go to (allowed.py)."""

    network = models.CharField(max_length=50, unique=True)
    """As ipaddress writes it: 192.0.2.0/24."""
    note = models.CharField(max_length=200, blank=True)
    entered_at = models.DateTimeField(auto_now_add=True)
    entered_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        ordering = ("network",)


class Plan(models.Model):
    """When devices are gathered by themselves, and how many surveys are kept. One row."""

    every_hours = models.PositiveIntegerField(null=True)
    next_at = models.DateTimeField(null=True)
    keep = models.PositiveIntegerField(default=30)
    """How many gathered surveys stay; pinned ones and those with cases always do."""
    drawing = models.TextField(blank=True)
    """The wiring as ietf-network-topology JSON, put beside what is gathered."""

    @classmethod
    def current(cls) -> Plan:
        return cls.objects.get_or_create(pk=1)[0]


class Gathering(models.Model):
    """One run over the devices. `state`: running, storing, done, failed or cancelled."""

    title = models.CharField(max_length=200)
    state = models.CharField(max_length=20, default="running")
    says = models.TextField(blank=True)
    started_at = models.DateTimeField(auto_now_add=True)
    started_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    ended_at = models.DateTimeField(null=True)
    drawing = models.TextField(blank=True)
    survey = models.ForeignKey(
        StoredSurvey, null=True, on_delete=models.SET_NULL, related_name="gatherings"
    )

    class Meta:
        ordering = ("-id",)


class Part(models.Model):
    """One device in a run. `state`: waiting, running, cancelled, or the outcome's kind."""

    gathering = models.ForeignKey(Gathering, on_delete=models.CASCADE, related_name="parts")
    device = models.CharField(max_length=100)
    target = models.JSONField()
    state = models.CharField(max_length=20, default="waiting")
    step = models.CharField(max_length=200, blank=True)
    done = models.PositiveIntegerField(default=0)
    of = models.PositiveIntegerField(default=0)
    says = models.TextField(blank=True)
    files = models.JSONField(null=True)
    """What came back, secrets masked; taken away once the survey is stored."""
    file_count = models.PositiveIntegerField(default=0)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("device",)
        constraints = [
            models.UniqueConstraint(fields=["gathering", "device"], name="one_part_per_device")
        ]
        indexes = [models.Index(fields=["gathering", "state"])]


OPEN = ("waiting", "running")
"""States of a part that is not over."""


class Errand(models.Model):
    """One talk with one device that somebody waits for (errands.py)."""

    WAITING, WORKING, DONE, FAILED = "waiting", "working", "done", "failed"
    OPEN = (WAITING, WORKING)

    kind = models.CharField(max_length=10)
    target = models.JSONField()
    """The device, as an inventory names it: no secrets."""
    question = models.JSONField(default=dict)
    state = models.CharField(max_length=10, default=WAITING)
    says = models.TextField(blank=True)
    """Why it failed, in a sentence."""
    answer = models.JSONField(null=True)
    sent_at = models.DateTimeField(auto_now_add=True)
