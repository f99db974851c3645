import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        ("experiments", "0001_initial"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Finding",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("kind", models.CharField(max_length=30)),
                ("details", models.JSONField(blank=True, default=dict)),
                ("name", models.CharField(blank=True, max_length=20)),
                ("why", models.TextField(blank=True)),
                (
                    "quantity",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.CASCADE,
                        to="experiments.quantity",
                    ),
                ),
                (
                    "run",
                    models.ForeignKey(
                        null=True, on_delete=django.db.models.deletion.CASCADE, to="experiments.run"
                    ),
                ),
            ],
            options={
                "ordering": ["kind", "run__number", "pk"],
            },
        ),
        migrations.CreateModel(
            name="Graph",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("place", models.PositiveIntegerField(default=0)),
                ("title", models.CharField(blank=True, max_length=200)),
                ("share", models.FloatField(default=1.0)),
                ("axes", models.JSONField(blank=True, default=dict)),
                (
                    "residuals_of",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="residuals",
                        to="desk.finding",
                    ),
                ),
            ],
            options={
                "ordering": ["place", "pk"],
            },
        ),
        migrations.CreateModel(
            name="Harvest",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("rows", models.JSONField(default=list)),
                ("columns", models.JSONField(default=list)),
                ("repeats", models.BooleanField(default=False)),
                (
                    "run",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="harvest",
                        to="experiments.run",
                    ),
                ),
            ],
        ),
        migrations.CreateModel(
            name="Marker",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("number", models.PositiveIntegerField()),
                ("name", models.CharField(blank=True, max_length=40)),
                ("x", models.FloatField()),
                (
                    "quantity",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="experiments.quantity",
                    ),
                ),
            ],
            options={
                "ordering": ["pk"],
            },
        ),
        migrations.AddField(
            model_name="finding",
            name="marker",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="findings",
                to="desk.marker",
            ),
        ),
        migrations.AddField(
            model_name="finding",
            name="second",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="+",
                to="desk.marker",
            ),
        ),
        migrations.CreateModel(
            name="Note",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("side", models.CharField(default="left", max_length=5)),
                ("text", models.CharField(max_length=300)),
                ("x", models.FloatField()),
                ("y", models.FloatField()),
                ("dx", models.FloatField(default=3.0)),
                ("dy", models.FloatField(default=2.0)),
                (
                    "finding",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="notes",
                        to="desk.finding",
                    ),
                ),
                (
                    "graph",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="notes",
                        to="desk.graph",
                    ),
                ),
            ],
            options={
                "ordering": ["pk"],
            },
        ),
        migrations.CreateModel(
            name="Sheet",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("place", models.PositiveIntegerField(default=0)),
                ("title", models.CharField(blank=True, max_length=200)),
                (
                    "beside",
                    models.BooleanField(default=False, help_text="shown beside the sheet in front"),
                ),
                ("x_axis", models.JSONField(blank=True, default=dict)),
                ("look", models.JSONField(blank=True, default=dict)),
                ("spans_made", models.PositiveIntegerField(default=0)),
                ("markers_made", models.PositiveIntegerField(default=0)),
                (
                    "experiment",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="sheets",
                        to="experiments.experiment",
                    ),
                ),
                (
                    "x",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="experiments.quantity",
                    ),
                ),
            ],
            options={
                "ordering": ["place", "pk"],
            },
        ),
        migrations.AddField(
            model_name="marker",
            name="sheet",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="markers", to="desk.sheet"
            ),
        ),
        migrations.AddField(
            model_name="graph",
            name="sheet",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="graphs", to="desk.sheet"
            ),
        ),
        migrations.AddField(
            model_name="finding",
            name="sheet",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE,
                related_name="findings",
                to="desk.sheet",
            ),
        ),
        migrations.CreateModel(
            name="Span",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("letter", models.CharField(max_length=4)),
                ("name", models.CharField(blank=True, max_length=40)),
                ("lo", models.FloatField()),
                ("hi", models.FloatField()),
                (
                    "quantity",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="experiments.quantity",
                    ),
                ),
                (
                    "sheet",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="spans",
                        to="desk.sheet",
                    ),
                ),
            ],
            options={
                "ordering": ["pk"],
            },
        ),
        migrations.AddField(
            model_name="finding",
            name="span",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="findings",
                to="desk.span",
            ),
        ),
        migrations.CreateModel(
            name="Change",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("label", models.CharField(max_length=120)),
                (
                    "about",
                    models.CharField(
                        blank=True, help_text="what further ones join it", max_length=40
                    ),
                ),
                ("made_at", models.DateTimeField(auto_now=True)),
                ("undone", models.BooleanField(default=False)),
                ("parts", models.JSONField()),
                (
                    "experiment",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="changes",
                        to="experiments.experiment",
                    ),
                ),
                (
                    "person",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="+",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={
                "ordering": ["pk"],
                "indexes": [
                    models.Index(
                        fields=["experiment", "person", "undone"],
                        name="desk_change_experim_3ba950_idx",
                    )
                ],
            },
        ),
        migrations.CreateModel(
            name="Trace",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                (
                    "side",
                    models.CharField(
                        choices=[("left", "left"), ("right", "right"), ("third", "third")],
                        default="left", max_length=5
                    ),
                ),
                (
                    "graph",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="traces",
                        to="desk.graph",
                    ),
                ),
                (
                    "quantity",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="+",
                        to="experiments.quantity",
                    ),
                ),
            ],
            options={
                "ordering": ["side", "pk"],
                "constraints": [
                    models.UniqueConstraint(
                        fields=("graph", "quantity"), name="one_trace_a_quantity"
                    )
                ],
            },
        ),
    ]
