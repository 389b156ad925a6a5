from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("people", "0008_office_ages")]

    operations = [
        migrations.RenameField("JournalEntry", "says", "written_out"),
        migrations.AlterField(
            "JournalEntry",
            "written_out",
            models.TextField(blank=True, help_text="The sentence itself, of lines from before facts were kept."),
        ),
        migrations.AddField(
            "JournalEntry",
            "facts",
            models.JSONField(default=dict, help_text="What its sentence tells, by name; `way` where the code says several things."),
        ),
    ]
