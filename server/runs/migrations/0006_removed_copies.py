from django.db import migrations


def removed_ones_are_removed(apps, editor):
    apps.get_model("runs", "Copy").objects.filter(removed_at__isnull=False).update(state="removed")


class Migration(migrations.Migration):

    dependencies = [("runs", "0005_decisions_hold")]

    operations = [migrations.RunPython(removed_ones_are_removed, migrations.RunPython.noop)]
