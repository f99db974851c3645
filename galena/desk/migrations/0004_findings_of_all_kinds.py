import django.db.models.deletion
from django.db import migrations, models


def sheets_of_spans(apps, schema_editor):
    finding = apps.get_model("desk", "Finding")
    for one in finding.objects.select_related("span").iterator():
        one.sheet_id = one.span.sheet_id
        one.save(update_fields=["sheet"])


class Migration(migrations.Migration):
    dependencies = [
        ("desk", "0003_graphs_notes_and_changes"),
        ("experiments", "0008_harvests"),
    ]

    operations = [
        migrations.RemoveConstraint(model_name="finding", name="one_finding_a_question"),
        migrations.AddField(
            model_name="finding",
            name="sheet",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="findings",
                to="desk.sheet",
            ),
        ),
        migrations.RunPython(sheets_of_spans, migrations.RunPython.noop),
    ]
