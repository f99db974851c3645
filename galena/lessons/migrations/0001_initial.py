import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('bench', '0001_initial'),
        ('classroom', '0001_initial'),
        ('experiments', '0001_initial'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='ClassQuestion',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('words', models.CharField(max_length=120)),
                ('symbol', models.CharField(blank=True, max_length=20)),
                ('unit', models.CharField(blank=True, max_length=60)),
                ('kind', models.CharField(max_length=30)),
                ('details', models.JSONField(blank=True, default=dict)),
                ('asked_at', models.DateTimeField(auto_now_add=True)),
                ('is_shown', models.BooleanField(default=False, help_text='whether groups see all answers')),
                ('lesson', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='questions', to='classroom.lesson')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='AnswersTable',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('columns', models.JSONField(default=dict)),
                ('frozen', models.JSONField(null=True)),
                ('run', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='answers_table', to='experiments.run')),
                ('question', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='tables', to='lessons.classquestion')),
            ],
        ),
        migrations.CreateModel(
            name='Copy',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('last_finding', models.BigIntegerField(default=0, help_text='of those that it began with')),
                ('experiment', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='copy', to='experiments.experiment')),
                ('group', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='copy', to=settings.AUTH_USER_MODEL)),
                ('lesson', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='copies', to='classroom.lesson')),
            ],
            options={
                'verbose_name_plural': 'copies',
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='GivenRun',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('to_all', models.BooleanField(default=True, help_text='or to those only who took it')),
                ('given_at', models.DateTimeField(auto_now_add=True)),
                ('lesson', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='given', to='classroom.lesson')),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='experiments.run')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='HandIn',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('title', models.CharField(max_length=200)),
                ('text', models.TextField(blank=True)),
                ('page', models.TextField()),
                ('folder', models.CharField(max_length=40)),
                ('handed_in_at', models.DateTimeField(auto_now_add=True)),
                ('handed_back_at', models.DateTimeField(null=True)),
                ('copy', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='hand_ins', to='lessons.copy')),
            ],
            options={
                'ordering': ['number'],
            },
        ),
        migrations.CreateModel(
            name='LeftOut',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('reason', models.CharField(max_length=200)),
                ('group', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('question', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='left_out', to='lessons.classquestion')),
            ],
            options={
                'verbose_name_plural': 'left out',
            },
        ),
        migrations.CreateModel(
            name='Loan',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('lent_at', models.DateTimeField(auto_now_add=True)),
                ('back_at', models.DateTimeField(null=True)),
                ('group', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='loans', to=settings.AUTH_USER_MODEL)),
                ('instrument', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='loans', to='bench.instrument')),
                ('lesson', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='loans', to='classroom.lesson')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='Received',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('copy', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='received', to='lessons.copy')),
                ('given', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='received', to='lessons.givenrun')),
                ('run', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='received', to='experiments.run')),
            ],
            options={
                'verbose_name_plural': 'received',
            },
        ),
        migrations.CreateModel(
            name='Remark',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('place', models.CharField(max_length=40)),
                ('quote', models.CharField(blank=True, max_length=120)),
                ('text', models.CharField(max_length=1000)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('hand_in', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='remarks', to='lessons.handin')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='Task',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('text', models.TextField(blank=True)),
                ('steps', models.JSONField(blank=True, default=list)),
                ('starts_with', models.JSONField(blank=True, default=list)),
                ('desk_shown', models.BooleanField(default=False)),
                ('names_hidden', models.BooleanField(default=False)),
                ('experiment', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tasks', to='experiments.experiment')),
                ('lesson', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='task', to='classroom.lesson')),
            ],
        ),
        migrations.CreateModel(
            name='TypedAnswer',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('text', models.CharField(max_length=60)),
                ('value', models.FloatField()),
                ('u', models.FloatField(null=True)),
                ('typed_at', models.DateTimeField(auto_now=True)),
                ('group', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='typed_answers', to=settings.AUTH_USER_MODEL)),
                ('question', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='typed', to='lessons.classquestion')),
            ],
        ),
        migrations.CreateModel(
            name='Word',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('text', models.CharField(max_length=500)),
                ('said_at', models.DateTimeField(auto_now_add=True)),
                ('group', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='words', to=settings.AUTH_USER_MODEL)),
                ('lesson', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='words', to='classroom.lesson')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.AddConstraint(
            model_name='givenrun',
            constraint=models.UniqueConstraint(fields=('lesson', 'run'), name='one_gift_a_run_and_lesson'),
        ),
        migrations.AddConstraint(
            model_name='handin',
            constraint=models.UniqueConstraint(fields=('copy', 'number'), name='one_hand_in_a_number'),
        ),
        migrations.AddConstraint(
            model_name='leftout',
            constraint=models.UniqueConstraint(fields=('question', 'group'), name='one_reason_a_group'),
        ),
        migrations.AddConstraint(
            model_name='loan',
            constraint=models.UniqueConstraint(condition=models.Q(('back_at', None)), fields=('instrument',), name='one_loan_an_instrument'),
        ),
        migrations.AddConstraint(
            model_name='received',
            constraint=models.UniqueConstraint(fields=('given', 'copy'), name='one_given_run_a_copy'),
        ),
        migrations.AddConstraint(
            model_name='typedanswer',
            constraint=models.UniqueConstraint(fields=('question', 'group'), name='one_answer_a_group'),
        ),
    ]
