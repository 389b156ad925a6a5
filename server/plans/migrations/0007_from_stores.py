"""The one store of each plan becomes its first target."""

from django.db import migrations


def one_target_each(apps, schema_editor):
    made = apps.get_model("plans", "PlanTarget")
    made.objects.bulk_create(made(plan=plan, store_id=plan.store_id, order=0) for plan in apps.get_model("plans", "Plan").objects.all())


class Migration(migrations.Migration):
    dependencies = [("plans", "0006_targets")]

    operations = [
        migrations.RunPython(one_target_each, migrations.RunPython.noop),
        migrations.RemoveField(
            model_name='plan',
            name='store',
        ),
    ]
