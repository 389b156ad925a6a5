"""The rule that each plan has now is its first version."""

from datetime import timedelta

from django.db import migrations


def first_versions(apps, schema_editor):
    plan_model, version_model = apps.get_model("plans", "Plan"), apps.get_model("plans", "RuleVersion")
    for plan in plan_model.objects.all():
        told = {name: getattr(plan, f"keep_{name}") for name in ("last", "daily", "weekly", "monthly") if getattr(plan, f"keep_{name}")}
        told["minimum_age_seconds"] = int(max(timedelta(days=7), timedelta(seconds=plan.promise_seconds)).total_seconds())
        at, by = plan.changed_at or plan.added_at, plan.changed_by_id
        version_model.objects.create(subject=f"plan {plan.id}", number=1, plan=plan, told=told, at=at, by_id=by)


class Migration(migrations.Migration):
    dependencies = [("plans", "0010_rules")]
    operations = [migrations.RunPython(first_versions, migrations.RunPython.noop)]
