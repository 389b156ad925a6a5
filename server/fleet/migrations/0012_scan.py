from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("fleet", "0011_own_cloud")]

    operations = [
        migrations.RenameModel("Look", "Scan"),
        migrations.AlterField(
            "Scan", "device", models.OneToOneField(on_delete=models.CASCADE, related_name="scan", to="fleet.device")
        ),
    ]
