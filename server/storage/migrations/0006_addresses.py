"""A store has an address instead of a path."""

from django.db import migrations, models


def from_paths(apps, schema_editor):
    for store in apps.get_model("storage", "Store").objects.all():
        store.address = {"path": store.where}
        store.save(update_fields=["address"])


class Migration(migrations.Migration):
    dependencies = [("storage", "0005_remembered_notes")]

    operations = [
        migrations.RenameField("store", "path", "where"),
        migrations.AlterField(
            "store", "where", models.CharField(max_length=1000, unique=True, help_text="In one line: a path, or which bucket.")
        ),
        migrations.AlterField(
            "store",
            "medium",
            models.CharField(
                choices=[("folder", "folder"), ("drive", "drive"), ("bucket", "bucket")], default="folder", max_length=10
            ),
        ),
        migrations.AddField(
            "store", "address", models.JSONField(default=dict, help_text="Fields of its address by name, but for its secrets.")
        ),
        migrations.AddField(
            "store",
            "credentials",
            models.BinaryField(null=True, help_text="The secrets of its address, sealed under the server's key."),
        ),
        migrations.AddField(
            "store",
            "key_id",
            models.CharField(
                blank=True,
                default="",
                max_length=32,
                help_text="Of the key its content is sealed with: between stores of one key sealed bytes move as they are.",
            ),
            preserve_default=False,
        ),
        migrations.AddField(
            "store",
            "mode",
            models.CharField(
                choices=[("in_use", "In use"), ("read_only", "Read only"), ("paused", "Paused"), ("detached", "Detached")],
                default="in_use",
                max_length=10,
            ),
        ),
        migrations.RunPython(from_paths, migrations.RunPython.noop),
    ]
