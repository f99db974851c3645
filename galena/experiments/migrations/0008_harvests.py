from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("experiments", "0007_formulas_and_givens"),
    ]

    operations = [
        migrations.AlterField(
            model_name="run",
            name="plan",
            field=models.CharField(
                choices=[
                    ("steady", "steady"),
                    ("armed", "armed"),
                    ("stepwise", "stepwise"),
                    ("typed", "typed"),
                    ("harvest", "harvest"),
                ],
                default="steady",
                max_length=8,
            ),
        ),
    ]
