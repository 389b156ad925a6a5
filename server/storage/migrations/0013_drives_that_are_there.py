from django.db import migrations


def enter_drives(apps, schema_editor):
    """Drives that were added before: where they are is found out by looking."""
    Store, Drive = apps.get_model("storage", "Store"), apps.get_model("storage", "Drive")
    for store in Store.objects.filter(medium="drive"):
        Drive.objects.get_or_create(store=store, defaults={"seen_at": store.measured_at})


class Migration(migrations.Migration):
    dependencies = [("storage", "0012_drives")]
    operations = [migrations.RunPython(enter_drives, migrations.RunPython.noop)]
