import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="KnownPlace",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("key", models.CharField(max_length=250, unique=True)),
                ("address", models.CharField(max_length=250)),
                ("speed", models.PositiveIntegerField(null=True)),
            ],
        ),
        migrations.CreateModel(
            name="PrintingBoard",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("port", models.CharField(max_length=60, unique=True)),
                ("columns", models.JSONField(default=list)),
                ("clock", models.PositiveSmallIntegerField(null=True)),
                ("clock_unit", models.CharField(default="ms", max_length=5)),
            ],
        ),
        migrations.CreateModel(
            name="Calibration",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("made_at", models.DateTimeField(null=True)),
                ("model", models.CharField(default="line", max_length=12)),
                ("quantity", models.CharField(max_length=100)),
                ("symbol", models.CharField(max_length=20)),
                ("unit", models.CharField(blank=True, max_length=60)),
                ("data", models.JSONField(null=True)),
                (
                    "origin",
                    models.CharField(
                        blank=True, help_text="where it was read from", max_length=200
                    ),
                ),
            ],
            options={
                "ordering": ["-made_at", "-pk"],
            },
        ),
        migrations.CreateModel(
            name="Channel",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("ident", models.CharField(max_length=40)),
                ("name", models.CharField(max_length=100)),
                ("symbol", models.CharField(max_length=20)),
                ("unit", models.CharField(max_length=60)),
                ("minimum", models.FloatField()),
                ("maximum", models.FloatField()),
                ("max_rate", models.FloatField()),
                ("decimals", models.PositiveSmallIntegerField()),
                ("resolution", models.FloatField(default=0.0)),
                ("reversed", models.BooleanField(default=False)),
            ],
            options={
                "ordering": ["pk"],
            },
        ),
        migrations.CreateModel(
            name="Instrument",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("maker", models.CharField(max_length=60)),
                ("model", models.CharField(max_length=60)),
                ("serial", models.CharField(max_length=60)),
                (
                    "nickname",
                    models.CharField(
                        blank=True, help_text="the name people gave it", max_length=60
                    ),
                ),
                ("seen_at", models.DateTimeField(auto_now=True)),
            ],
        ),
        migrations.CreateModel(
            name="Take",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("known", models.FloatField()),
                (
                    "known_text",
                    models.CharField(help_text="as it was typed, with its zeros", max_length=40),
                ),
                ("u_known", models.FloatField(default=0.0)),
                ("mean", models.FloatField()),
                ("sd", models.FloatField(null=True)),
                ("count", models.PositiveIntegerField()),
                ("seconds", models.FloatField()),
                ("taken_at", models.DateTimeField(auto_now_add=True)),
            ],
            options={
                "ordering": ["pk"],
            },
        ),
        migrations.CreateModel(
            name="Zero",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("value", models.FloatField()),
                ("u", models.FloatField(default=0.0, help_text="its standard uncertainty")),
                ("set_at", models.DateTimeField()),
                ("undone_at", models.DateTimeField(null=True)),
            ],
        ),
        migrations.AddField(
            model_name="calibration",
            name="made_by",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL
            ),
        ),
        migrations.AddField(
            model_name="channel",
            name="calibration",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="in_force_on",
                to="bench.calibration",
            ),
        ),
        migrations.AddField(
            model_name="calibration",
            name="channel",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE,
                related_name="calibrations",
                to="bench.channel",
            ),
        ),
        migrations.AddConstraint(
            model_name="instrument",
            constraint=models.UniqueConstraint(
                fields=("maker", "model", "serial"), name="one_device_a_serial"
            ),
        ),
        migrations.AddField(
            model_name="channel",
            name="instrument",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE,
                related_name="channels",
                to="bench.instrument",
            ),
        ),
        migrations.AddField(
            model_name="take",
            name="calibration",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE,
                related_name="takes",
                to="bench.calibration",
            ),
        ),
        migrations.AddField(
            model_name="zero",
            name="channel",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE,
                related_name="zeros",
                to="bench.channel",
            ),
        ),
        migrations.AddField(
            model_name="zero",
            name="set_by",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL
            ),
        ),
        migrations.AddConstraint(
            model_name="calibration",
            constraint=models.UniqueConstraint(
                condition=models.Q(("made_at", None)),
                fields=("channel", "made_by"),
                name="one_calibration_in_the_making_a_person",
            ),
        ),
        migrations.AddConstraint(
            model_name="channel",
            constraint=models.UniqueConstraint(
                fields=("instrument", "ident"), name="one_channel_an_ident"
            ),
        ),
    ]
