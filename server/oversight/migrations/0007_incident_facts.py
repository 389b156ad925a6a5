from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("oversight", "0006_event_facts")]

    operations = [
        migrations.RenameField("Incident", "says", "written_out"),
        migrations.AlterField(
            "Incident",
            "written_out",
            models.CharField(blank=True, help_text="The sentence itself, of incidents from before facts were kept.", max_length=400),
        ),
        migrations.AddField(
            "Incident", "kind", models.CharField(blank=True, default="", help_text="Of `cause_lines.CAUSES`.", max_length=40),
            preserve_default=False,
        ),
        migrations.AddField(
            "Incident", "facts", models.JSONField(default=dict, help_text="What its sentence tells, by name, as it was last.")
        ),
    ]
