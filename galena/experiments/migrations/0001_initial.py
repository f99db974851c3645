import django.db.models.deletion
import galena.experiments.models.experiment
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Experiment',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('title', models.CharField(max_length=200)),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('changed_at', models.DateTimeField(auto_now=True)),
                ('archived_at', models.DateTimeField(null=True)),
                ('removed_at', models.DateTimeField(null=True)),
                ('last_number', models.PositiveIntegerField(default=0, help_text='of runs deleted for good')),
                ('owner', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
            ],
        ),
        migrations.CreateModel(
            name='Condition',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=100)),
                ('symbol', models.CharField(blank=True, max_length=20)),
                ('unit', models.CharField(blank=True, max_length=60)),
                ('kind', models.CharField(choices=[('number', 'number'), ('choice', 'choice'), ('text', 'text')], default='text', max_length=8)),
                ('choices', models.JSONField(blank=True, default=list)),
                ('experiment', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='conditions', to='experiments.experiment')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='Given',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=100)),
                ('symbol', models.CharField(max_length=20)),
                ('unit', models.CharField(blank=True, max_length=60)),
                ('text', models.CharField(max_length=60)),
                ('value', models.FloatField()),
                ('u', models.FloatField(null=True)),
                ('note', models.CharField(blank=True, max_length=200)),
                ('experiment', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='givens', to='experiments.experiment')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='Quantity',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=100)),
                ('symbol', models.CharField(max_length=20)),
                ('unit', models.CharField(blank=True, max_length=60)),
                ('decimals', models.PositiveSmallIntegerField(default=2)),
                ('kind', models.CharField(default='measured', max_length=12)),
                ('source', models.CharField(default=galena.experiments.models.experiment.own_key, max_length=200)),
                ('used', models.BooleanField(default=True, help_text='whether its channel is on at the bench')),
                ('formula', models.TextField(blank=True)),
                ('unit_chosen', models.BooleanField(default=False, help_text='instead of the simplest one')),
                ('decimals_chosen', models.BooleanField(default=False, help_text='instead of what is honest')),
                ('u_rule', models.CharField(default='scatter', max_length=12)),
                ('u_absolute', models.FloatField(null=True)),
                ('u_relative', models.FloatField(null=True)),
                ('u_calibration', models.BooleanField(default=True, help_text='whether calibration adds to it')),
                ('experiment', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='quantities', to='experiments.experiment')),
            ],
            options={
                'verbose_name_plural': 'quantities',
            },
        ),
        migrations.CreateModel(
            name='Run',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('note', models.CharField(blank=True, max_length=200)),
                ('state', models.CharField(choices=[('recording', 'recording'), ('following', 'being recorded'), ('finished', 'finished'), ('interrupted', 'interrupted')], default='recording', max_length=12)),
                ('plan', models.CharField(default='steady', help_text='a key of runs.KINDS', max_length=12)),
                ('rate', models.FloatField(help_text='planned readings a second', null=True)),
                ('duration', models.FloatField(help_text='planned, in seconds', null=True)),
                ('details', models.JSONField(blank=True, default=dict)),
                ('remarks', models.JSONField(blank=True, default=list)),
                ('name', models.CharField(blank=True, max_length=80)),
                ('unused', models.CharField(blank=True, max_length=200)),
                ('place', models.PositiveIntegerField(default=0, help_text='in the order that people want')),
                ('marked_as', models.PositiveSmallIntegerField(help_text='a mark chosen by hand', null=True)),
                ('started_at', models.DateTimeField()),
                ('ended_at', models.DateTimeField(null=True)),
                ('ending', models.CharField(blank=True, max_length=300)),
                ('shown', models.BooleanField(default=True)),
                ('removed_at', models.DateTimeField(null=True)),
                ('experiment', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='runs', to='experiments.experiment')),
                ('started_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['place', 'number'],
            },
        ),
        migrations.CreateModel(
            name='Entry',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('row', models.PositiveIntegerField()),
                ('text', models.CharField(max_length=40)),
                ('value', models.FloatField()),
                ('made_at', models.DateTimeField()),
                ('replaced_at', models.DateTimeField(null=True)),
                ('made_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
                ('quantity', models.ForeignKey(on_delete=django.db.models.deletion.RESTRICT, related_name='entries', to='experiments.quantity')),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='entries', to='experiments.run')),
            ],
            options={
                'verbose_name_plural': 'entries',
                'ordering': ['row', 'pk'],
            },
        ),
        migrations.CreateModel(
            name='ConditionValue',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('text', models.CharField(blank=True, max_length=60)),
                ('value', models.FloatField(null=True)),
                ('u', models.FloatField(null=True)),
                ('condition', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='experiments.condition')),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='condition_values', to='experiments.run')),
            ],
            options={
                'ordering': ['condition_id'],
            },
        ),
        migrations.CreateModel(
            name='Scene',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('rig', models.CharField(max_length=40)),
                ('states', models.JSONField(help_text='{"t": [...], "name of a state": [...]}')),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='scenes', to='experiments.run')),
            ],
        ),
        migrations.CreateModel(
            name='Series',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('unit', models.CharField(blank=True, max_length=60)),
                ('zero', models.FloatField(help_text='raw value that is read as zero', null=True)),
                ('u_zero', models.FloatField(default=0.0, help_text='its standard uncertainty')),
                ('sign', models.SmallIntegerField(default=1)),
                ('calibration', models.JSONField(null=True)),
                ('minimum', models.FloatField(null=True)),
                ('maximum', models.FloatField(null=True)),
                ('resolution', models.FloatField(null=True)),
                ('max_rate', models.FloatField(null=True)),
                ('quantity', models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, to='experiments.quantity')),
                ('stored_in', models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='followers', to='experiments.series')),
            ],
            options={
                'verbose_name_plural': 'series',
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='SeriesChunk',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('sequence', models.PositiveIntegerField()),
                ('first_index', models.BigIntegerField()),
                ('count', models.PositiveIntegerField()),
                ('data', models.BinaryField()),
                ('crc32', models.BigIntegerField()),
                ('series', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='chunks', to='experiments.series')),
            ],
        ),
        migrations.CreateModel(
            name='Step',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('row', models.PositiveIntegerField()),
                ('taken_at', models.DateTimeField()),
                ('replaced_at', models.DateTimeField(null=True)),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='steps', to='experiments.run')),
                ('taken_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['row', 'pk'],
            },
        ),
        migrations.CreateModel(
            name='Stream',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('instrument', models.CharField(max_length=120)),
                ('serial', models.CharField(max_length=60)),
                ('origin_us', models.BigIntegerField(null=True)),
                ('scale', models.FloatField(default=1.0)),
                ('lost', models.PositiveIntegerField(default=0)),
                ('garbled', models.PositiveIntegerField(default=0)),
                ('drift_ppm', models.FloatField(help_text="of its clock against this computer's", null=True)),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='streams', to='experiments.run')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='StepPart',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('first_index', models.BigIntegerField()),
                ('count', models.PositiveIntegerField()),
                ('correlation_times', models.JSONField(default=dict)),
                ('step', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='parts', to='experiments.step')),
                ('stream', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='experiments.stream')),
            ],
        ),
        migrations.AddField(
            model_name='series',
            name='stream',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='series', to='experiments.stream'),
        ),
        migrations.CreateModel(
            name='Aside',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('first', models.BigIntegerField()),
                ('last', models.BigIntegerField()),
                ('reason', models.CharField(max_length=200)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('made_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='asides', to='experiments.run')),
                ('stream', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='asides', to='experiments.stream')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='TypedColumn',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('texts', models.TextField(blank=True)),
                ('stretches', models.JSONField(blank=True, default=list)),
                ('change', models.CharField(blank=True, help_text='what was done, in words', max_length=120)),
                ('made_at', models.DateTimeField()),
                ('replaced_at', models.DateTimeField(null=True)),
                ('made_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
                ('quantity', models.ForeignKey(on_delete=django.db.models.deletion.RESTRICT, related_name='typed_columns', to='experiments.quantity')),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='typed_columns', to='experiments.run')),
                ('stream', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='typed_columns', to='experiments.stream')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='TypedPlan',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=10)),
                ('fields', models.JSONField(default=dict)),
                ('changed_at', models.DateTimeField(auto_now=True)),
                ('experiment', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='typed_plans', to='experiments.experiment')),
                ('person', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
        ),
        migrations.AddConstraint(
            model_name='condition',
            constraint=models.UniqueConstraint(fields=('experiment', 'name'), name='one_condition_a_name'),
        ),
        migrations.AddConstraint(
            model_name='given',
            constraint=models.UniqueConstraint(fields=('experiment', 'symbol'), name='one_given_a_symbol'),
        ),
        migrations.AddConstraint(
            model_name='quantity',
            constraint=models.UniqueConstraint(fields=('experiment', 'source'), name='one_quantity_a_source'),
        ),
        migrations.AddConstraint(
            model_name='run',
            constraint=models.UniqueConstraint(fields=('experiment', 'number'), name='one_run_a_number'),
        ),
        migrations.AddConstraint(
            model_name='run',
            constraint=models.UniqueConstraint(condition=models.Q(('state', 'recording')), fields=('experiment',), name='one_run_recording_at_a_time'),
        ),
        migrations.AddConstraint(
            model_name='entry',
            constraint=models.UniqueConstraint(condition=models.Q(('replaced_at', None)), fields=('run', 'row', 'quantity'), name='one_entry_in_force_a_cell'),
        ),
        migrations.AddConstraint(
            model_name='conditionvalue',
            constraint=models.UniqueConstraint(fields=('run', 'condition'), name='one_value_a_condition'),
        ),
        migrations.AddConstraint(
            model_name='serieschunk',
            constraint=models.UniqueConstraint(fields=('series', 'sequence'), name='one_chunk_a_sequence'),
        ),
        migrations.AddConstraint(
            model_name='step',
            constraint=models.UniqueConstraint(condition=models.Q(('replaced_at', None)), fields=('run', 'row'), name='one_step_in_force_a_row'),
        ),
        migrations.AddConstraint(
            model_name='typedcolumn',
            constraint=models.UniqueConstraint(condition=models.Q(('replaced_at', None)), fields=('run', 'quantity'), name='one_typed_column_in_force'),
        ),
        migrations.AddConstraint(
            model_name='typedplan',
            constraint=models.UniqueConstraint(fields=('experiment', 'person', 'kind'), name='one_plan_a_kind'),
        ),
    ]
