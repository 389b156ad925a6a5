from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("oversight", "0005_incident")]

    operations = [
        migrations.RenameField("IncidentEvent", "says", "written_out"),
        migrations.AlterField(
            "IncidentEvent",
            "written_out",
            models.CharField(blank=True, help_text="The sentence itself, of events from before facts were kept.", max_length=400),
        ),
        migrations.AddField(
            "IncidentEvent",
            "what",
            models.CharField(
                blank=True,
                choices=[
                    ("began", "Began"), ("joined", "Joined"), ("left", "Left"), ("gone", "Gone"), ("back", "Back"), ("put_off", "Put Off"),
                    ("taken_up", "Taken Up"),
                ],
                default="",
                max_length=10,
            ),
            preserve_default=False,
        ),
        migrations.AddField(
            "IncidentEvent",
            "facts",
            models.JSONField(default=dict, help_text="{count}, {devices, more} or {until, why}, as its sentence tells them."),
        ),
    ]
