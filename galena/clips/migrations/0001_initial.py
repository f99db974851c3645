
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('experiments', '0001_initial'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Clip',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=100)),
                ('folder', models.CharField(max_length=32)),
                ('ticket', models.CharField(blank=True, max_length=200)),
                ('state', models.CharField(choices=[('sending', 'sending'), ('preparing', 'preparing'), ('ready', 'ready'), ('failed', 'failed')], default='sending', max_length=12)),
                ('trouble', models.CharField(blank=True, max_length=300)),
                ('size', models.BigIntegerField(help_text='bytes of the file as it came')),
                ('width', models.PositiveIntegerField(default=0)),
                ('height', models.PositiveIntegerField(default=0)),
                ('shown_width', models.PositiveIntegerField(default=0)),
                ('shown_height', models.PositiveIntegerField(default=0)),
                ('times', models.BinaryField(blank=True, default=b'')),
                ('missing', models.PositiveIntegerField(default=0)),
                ('left_out', models.PositiveIntegerField(default=0)),
                ('is_broken', models.BooleanField(default=False)),
                ('is_simulated', models.BooleanField(default=False)),
                ('start', models.PositiveIntegerField(default=0)),
                ('stop', models.PositiveIntegerField(default=0)),
                ('every', models.PositiveIntegerField(default=1)),
                ('u_mark', models.FloatField(default=1.0)),
                ('is_filmed', models.BooleanField(default=False)),
                ('filmed', models.JSONField(default=dict)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('during', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='experiments.run')),
                ('timed_by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='experiments.run')),
                ('experiment', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='clips', to='experiments.experiment')),
                ('made_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
                ('run', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='clips', to='experiments.run')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='SlantedPlane',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('corners', models.JSONField(help_text='four pairs')),
                ('width', models.FloatField()),
                ('u_width', models.FloatField(default=0.0)),
                ('height', models.FloatField()),
                ('u_height', models.FloatField(default=0.0)),
                ('width_text', models.CharField(max_length=60)),
                ('height_text', models.CharField(max_length=60)),
                ('unit', models.CharField(max_length=60)),
                ('clip', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='plane', to='clips.clip')),
            ],
        ),
        migrations.CreateModel(
            name='Scale',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('x1', models.FloatField()),
                ('y1', models.FloatField()),
                ('x2', models.FloatField()),
                ('y2', models.FloatField()),
                ('length', models.FloatField()),
                ('u_length', models.FloatField(default=0.0)),
                ('text', models.CharField(help_text='the length as it was typed', max_length=60)),
                ('unit', models.CharField(max_length=60)),
                ('clip', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='scale', to='clips.clip')),
            ],
        ),
        migrations.CreateModel(
            name='Tie',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('run_time', models.FloatField(help_text="s since the run's t = 0")),
                ('clip_time', models.FloatField(help_text='s since the first picture')),
                ('clip', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='ties', to='clips.clip')),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='ties', to='experiments.run')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='TrackedObject',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveSmallIntegerField()),
                ('name', models.CharField(max_length=60)),
                ('clip', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='tracked', to='clips.clip')),
                ('x_quantity', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='experiments.quantity')),
                ('y_quantity', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='experiments.quantity')),
            ],
            options={
                'ordering': ['number'],
            },
        ),
        migrations.CreateModel(
            name='Mark',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('picture', models.PositiveIntegerField()),
                ('x', models.FloatField()),
                ('y', models.FloatField()),
                ('score', models.FloatField(null=True)),
                ('made_at', models.DateTimeField()),
                ('replaced_at', models.DateTimeField(null=True)),
                ('undone_at', models.DateTimeField(null=True)),
                ('made_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
                ('tracked', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='marks', to='clips.trackedobject')),
            ],
            options={
                'ordering': ['picture', 'pk'],
            },
        ),
        migrations.CreateModel(
            name='Axes',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('x', models.FloatField()),
                ('y', models.FloatField()),
                ('angle', models.FloatField(default=0.0)),
                ('x_to_left', models.BooleanField(default=False)),
                ('y_down', models.BooleanField(default=False)),
                ('clip', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='axes', to='clips.clip')),
                ('moves_with', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, to='clips.trackedobject')),
            ],
        ),
        migrations.AddConstraint(
            model_name='trackedobject',
            constraint=models.UniqueConstraint(fields=('clip', 'number'), name='one_object_a_number'),
        ),
        migrations.AddConstraint(
            model_name='mark',
            constraint=models.UniqueConstraint(condition=models.Q(('replaced_at', None)), fields=('tracked', 'picture'), name='one_mark_in_force'),
        ),
    ]
