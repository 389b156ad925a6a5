from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("runs", "0015_leaving")]
    operations = [
        migrations.AddIndex(
            model_name="backup",
            index=models.Index(fields=["-finished_at", "-id"], condition=models.Q(("hold_reason", ""), _negated=True), name="backups_held"),
        ),
    ]
