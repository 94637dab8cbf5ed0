"""gNMI is a method of gathering."""

from __future__ import annotations

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("gathering", "0003_errands")]

    operations = [
        migrations.AlterField(
            model_name="inventorydevice",
            name="method",
            field=models.CharField(
                choices=[
                    ("netconf", "netconf"),
                    ("restconf", "restconf"),
                    ("gnmi", "gnmi"),
                    ("ssh", "ssh"),
                    ("snmp", "snmp"),
                ],
                max_length=10,
            ),
        ),
    ]
