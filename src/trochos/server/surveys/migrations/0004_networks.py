"""Surveys belong to networks. Those that are there are put together by the devices they share."""

import io
import zipfile

import django.db.models.deletion
from django.db import migrations, models


def device_names(archive):
    """The devices that an archive has folders of."""
    with zipfile.ZipFile(io.BytesIO(bytes(archive))) as held:
        paths = [name.split("/") for name in held.namelist()]
    return {parts[1] for parts in paths if parts[0] == "devices" and len(parts) > 2}


def put_into_networks(apps, schema_editor):
    """Oldest first: each survey joins the network with which it shares half of its devices."""
    surveys = apps.get_model("surveys", "StoredSurvey")
    networks = apps.get_model("surveys", "Network")
    known = {network: set(network.expected) for network in networks.objects.all()}
    for survey in surveys.objects.filter(network=None).order_by("id").iterator():
        names = device_names(survey.archive)
        best, shared = None, 0.5
        for network, expected in known.items():
            alike = len(names & expected) / max(1, len(names | expected))
            if expected and alike >= shared:
                best, shared = network, alike
        if best is None:
            called, number = survey.title[:190], 1
            while networks.objects.filter(name=called).exists():
                number += 1
                called = f"{survey.title[:190]} {number}"
            best = networks.objects.create(name=called, expected=[], roles={})
            known[best] = set()
        known[best] |= names
        survey.network = best
        survey.save(update_fields=["network"])
    for network, names in known.items():
        network.expected = sorted(names)
        network.save()
    # The column is made required next, which open constraints would not allow.
    schema_editor.execute("SET CONSTRAINTS ALL IMMEDIATE")


class Migration(migrations.Migration):
    dependencies = [("surveys", "0003_storedsurvey_pinned")]

    operations = [
        migrations.CreateModel(
            name="Network",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(max_length=200, unique=True)),
                ("expected", models.JSONField(default=list)),
                ("roles", models.JSONField(default=dict)),
            ],
            options={"ordering": ("name",)},
        ),
        migrations.AddField(
            model_name="storedsurvey",
            name="network",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.PROTECT,
                related_name="surveys",
                to="surveys.network",
            ),
        ),
        migrations.RunPython(put_into_networks, migrations.RunPython.noop),
        migrations.AlterField(
            model_name="storedsurvey",
            name="network",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.PROTECT,
                related_name="surveys",
                to="surveys.network",
            ),
        ),
    ]
