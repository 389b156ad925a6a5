from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("oversight", "0003_monthreport"), ("fleet", "0011_own_cloud"), ("runs", "0022_heartbeat")]

    operations = [
        migrations.RemoveConstraint("Oddity", "one_open_oddity"),
        migrations.RenameModel("Oddity", "Anomaly"),
        migrations.AlterField(
            "Anomaly", "backup", models.ForeignKey(on_delete=models.CASCADE, related_name="anomalies", to="runs.backup")
        ),
        migrations.AlterField(
            "Anomaly", "device", models.ForeignKey(on_delete=models.CASCADE, related_name="anomalies", to="fleet.device")
        ),
        migrations.RenameIndex("Anomaly", new_name="oversight_a_device__e172ad_idx", old_name="oversight_o_device__fc12bb_idx"),
        migrations.AddConstraint(
            "Anomaly",
            models.UniqueConstraint(
                condition=models.Q(("settled_at__isnull", True)), fields=("device", "code", "kind"), name="one_open_anomaly"
            ),
        ),
    ]
