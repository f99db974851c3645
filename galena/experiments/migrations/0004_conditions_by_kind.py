"""Give conditions with a unit their kind and their numbers, and runs their places."""

from django.db import migrations
from django.db.models import F

from galena.core.conditions import hold
from galena.core.errors import ConditionError


def by_kind(apps, schema_editor):
    Condition = apps.get_model("experiments", "Condition")
    ConditionValue = apps.get_model("experiments", "ConditionValue")
    for condition in Condition.objects.exclude(unit=""):
        values = list(ConditionValue.objects.filter(condition=condition))
        try:
            held = [hold(one.text, condition.name, "number", condition.unit) for one in values]
        except ConditionError:
            continue  # it holds words: it stays as it is
        condition.kind = "number"
        condition.save(update_fields=["kind"])
        for one, known in zip(values, held, strict=True):
            one.text, one.value, one.u = known.text[:60], known.value, known.u
        ConditionValue.objects.bulk_update(values, ["text", "value", "u"])
    apps.get_model("experiments", "Run").objects.update(place=F("number"))


class Migration(migrations.Migration):
    dependencies = [("experiments", "0003_plans_and_steps")]
    operations = [migrations.RunPython(by_kind, migrations.RunPython.noop)]
