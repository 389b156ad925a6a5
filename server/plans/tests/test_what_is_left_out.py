"""What a draft of a plan does not say is what the table would hold, and what the interface's description promises."""

from dataclasses import MISSING, fields

from django.db.models import NOT_PROVIDED
from django.test import SimpleTestCase

from server.plans.actions.save_plan import Draft, DraftTarget
from server.plans.api.views import SavePlanSerializer, TargetSerializer
from server.plans.models import Plan, PlanTarget


def plain(default: object) -> object:
    """One value for what is empty, which a table calls not provided where it may be null."""
    value = default() if callable(default) and default is not NOT_PROVIDED else default
    return None if value is NOT_PROVIDED else tuple(value) if isinstance(value, list) else value


class Defaults(SimpleTestCase):
    def test_of_a_draft(self):
        for draft, model, body in ((Draft, Plan, SavePlanSerializer()), (DraftTarget, PlanTarget, TargetSerializer())):
            columns = {column.name: column for column in model._meta.fields}
            for field in (field for field in fields(draft) if field.default is not MISSING):
                self.assertEqual(plain(body.fields[field.name].default), field.default, field.name)
                if field.name in columns and field.name != "revision":  # a plan's first is 0, and nobody has read one before it
                    self.assertEqual(plain(columns[field.name].default), field.default, field.name)
