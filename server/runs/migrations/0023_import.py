from django.db import migrations, models

STATES = {"looking": "scanning", "looked": "ready", "bringing": "importing"}


def rename(apps, schema_editor, names):
    rows = apps.get_model("runs", "Import").objects
    for old, new in names.items():
        rows.filter(state=old).update(state=new)


def forwards(apps, schema_editor):
    rename(apps, schema_editor, STATES)


def backwards(apps, schema_editor):
    rename(apps, schema_editor, {new: old for old, new in STATES.items()})


class Migration(migrations.Migration):
    dependencies = [("runs", "0022_heartbeat")]

    operations = [
        migrations.RenameModel("Bringing", "Import"),
        migrations.RenameField("Backup", "brought_in_from", "imported_from"),
        migrations.AlterField(
            "Import",
            "state",
            models.CharField(
                choices=[
                    ("scanning", "Scanning"), ("ready", "Ready"), ("waiting", "Waiting"), ("importing", "Importing"), ("done", "Done"),
                    ("failed", "Failed"),
                ],
                default="scanning",
                max_length=10,
            ),
        ),
        migrations.RunPython(forwards, backwards),
    ]
