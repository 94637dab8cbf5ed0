"""Stored surveys and cases. A survey is never changed after it is stored."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from ...core.forwarding.path import Traffic


class KeyOnRecord(models.Model):
    """A key of the installation, by a digest that tells it from others (keys.py)."""

    name = models.CharField(max_length=40, unique=True)
    digest = models.CharField(max_length=64)


class Network(models.Model):
    """What surveys are surveys of, and what a person decided about it."""

    name = models.CharField(max_length=200, unique=True)
    expected = models.JSONField(default=list)
    """The devices that a survey of it should hold: one that is missing was not read."""
    roles = models.JSONField(default=dict)
    """Node -> `lan`, `router`, `host` or `switch`, as a person said."""

    class Meta:
        ordering = ("name",)


class ExpectationList(models.Model):
    """What has to hold in a network, as the list in YAML that the command line takes, too."""

    network = models.OneToOneField(Network, on_delete=models.CASCADE, related_name="expectations")
    text = models.TextField()
    changed_at = models.DateTimeField(auto_now=True)
    changed_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)


class StoredSurvey(models.Model):
    """A survey's files, secrets already masked, as one compressed archive."""

    title = models.CharField(max_length=200)
    network = models.ForeignKey(Network, on_delete=models.PROTECT, related_name="surveys")
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
    counted = models.BooleanField(default=True)
    """False until a worker has found what is wrong in it."""
    pinned = models.BooleanField(default=False)
    """True if it stays whatever the rule for old surveys says."""

    class Meta:
        ordering = ("-taken_at", "-id")


class Incoming(models.Model):
    """An upload that a worker is to read (incoming.py); what was sent is gone once it was."""

    WAITING, WORKING, DONE, FAILED = "waiting", "working", "done", "failed"

    sealed = models.BinaryField(null=True)
    """What was sent, encrypted: it holds secrets that are not masked yet."""
    said = models.JSONField()
    """Title, network, time and name that were sent along."""
    sent_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    sent_at = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=10, default=WAITING)
    says = models.TextField(blank=True)
    """Why it is no survey, in a sentence."""
    survey = models.ForeignKey(StoredSurvey, null=True, on_delete=models.CASCADE)
    begun = models.PositiveIntegerField(default=0)
    """How often a worker took it up."""
    told_at = models.DateTimeField(null=True)
    """When a worker took it up last."""
    files_read = models.PositiveIntegerField(default=0)
    files = models.PositiveIntegerField(default=0)
    """How many files there are in all, archives opened; 0 until that is known."""

    @property
    def over(self) -> bool:
        return self.state in (self.DONE, self.FAILED)


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
    state = models.CharField(max_length=20, default="reported")
    """`reported`, `confirmed`, `not-reproduced`, `cause-found`, `remedy-proposed`, `verified`
    or `closed-unverified`."""
    cause = models.JSONField(null=True)
    """The finding that was named as the cause, as it was then."""
    proposal = models.ForeignKey(
        "Proposal", null=True, on_delete=models.SET_NULL, related_name="cases"
    )
    verified_on = models.ForeignKey(
        StoredSurvey, null=True, on_delete=models.SET_NULL, related_name="verified_cases"
    )

    class Meta:
        ordering = ("id",)

    @property
    def traffic(self) -> Traffic:
        """The kind of packet that the complaint is about."""
        return Traffic(self.source or None, self.protocol, self.port, self.size, self.dont_fragment)


class Proposal(models.Model):
    """A change somebody wants to make: edits of a survey's texts, or failures to try out."""

    survey = models.ForeignKey(StoredSurvey, on_delete=models.CASCADE, related_name="proposals")
    title = models.CharField(max_length=300)
    edits = models.JSONField()
    question = models.JSONField(default=dict)
    """The complaint it is for: from, to and perhaps source, protocol, port."""
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        ordering = ("-id",)


class CaseStep(models.Model):
    """What happened in a case: a change of state or a note, by whom and when."""

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="steps")
    step = models.CharField(max_length=20)
    text = models.TextField(blank=True)
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        ordering = ("id",)


class CaseEvidence(models.Model):
    """What somebody saw and mailed, kept with a case as it was pasted, secrets masked."""

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="evidence")
    name = models.CharField(max_length=200, blank=True)
    """The file it was dropped as, if it was one."""
    text = models.TextField()
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        ordering = ("id",)


class Answer(models.Model):
    """A long answer about a survey: asked once, computed by a worker, kept for whoever asks next.

    What it is about never changes, so it holds until the engine or what is said of the survey does.
    """

    WAITING, WORKING, DONE, FAILED = "waiting", "working", "done", "failed"

    key = models.CharField(max_length=64, unique=True)
    """Digest of the engine, the survey, the kind and the question."""
    survey = models.ForeignKey(StoredSurvey, on_delete=models.CASCADE, related_name="answers")
    kind = models.CharField(max_length=20)
    question = models.JSONField()
    state = models.CharField(max_length=10, default=WAITING)
    wanted = models.BooleanField(default=True)
    """False once somebody stopped it: it ends with the best answer so far."""
    ahead = models.BooleanField(default=False)
    """True as long as nobody asked for it: it is computed before somebody does."""
    tried = models.PositiveIntegerField(default=0)
    of = models.PositiveIntegerField(default=0)
    what = models.CharField(max_length=300, blank=True)
    says = models.TextField(blank=True)
    """Why it failed, in a sentence."""
    answer = models.JSONField(null=True)
    begun = models.PositiveIntegerField(default=0)
    """How often a worker took it up."""
    asked_at = models.DateTimeField(auto_now_add=True)
    told_at = models.DateTimeField(null=True)
    """When its worker last said how far it is."""
    ended_at = models.DateTimeField(null=True)

    @property
    def over(self) -> bool:
        return self.state in (self.DONE, self.FAILED)
