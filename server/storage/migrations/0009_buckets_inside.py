"""Buckets that are in use already may lie where they lie."""

from typing import Any

from django.db import migrations


def allow(apps: Any, editor: Any) -> None:
    store = apps.get_model("storage", "Store")
    for row in store.objects.filter(medium="bucket"):
        row.address = row.address | {"inside": "yes"}
        row.save(update_fields=["address"])


class Migration(migrations.Migration):
    dependencies = [("storage", "0008_sweeping_and_office")]
    operations = [migrations.RunPython(allow, migrations.RunPython.noop)]
