from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("runs", "0021_short_room")]

    operations = [migrations.RenameModel("Beat", "Heartbeat")]
