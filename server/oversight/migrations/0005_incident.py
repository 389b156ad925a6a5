from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("oversight", "0004_anomalies"), ("telling", "0001_nights")]

    operations = [
        migrations.RemoveConstraint("Matter", "one_open_matter"),
        migrations.RemoveConstraint("MatterDevice", "in_a_matter_once"),
        migrations.RenameModel("Matter", "Incident"),
        migrations.RenameModel("MatterDevice", "IncidentDevice"),
        migrations.RenameModel("MatterEvent", "IncidentEvent"),
        migrations.RenameField("IncidentDevice", "matter", "incident"),
        migrations.RenameField("IncidentEvent", "matter", "incident"),
        migrations.AlterField(
            "IncidentDevice", "device", models.ForeignKey(on_delete=models.CASCADE, related_name="incidents", to="fleet.device")
        ),
        migrations.RenameIndex("Incident", new_name="incidents_closed", old_name="matters_closed"),
        migrations.AddConstraint(
            "Incident", models.UniqueConstraint(condition=models.Q(("closed_at__isnull", True)), fields=("code",), name="one_open_incident")
        ),
        migrations.AddConstraint(
            "IncidentDevice",
            models.UniqueConstraint(
                condition=models.Q(("until__isnull", True)), fields=("incident", "device"), name="in_an_incident_once"
            ),
        ),
    ]
