
import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('experiments', '0001_initial'),
    ]

    operations = [
        migrations.CreateModel(
            name='Guidance',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('shape_first', models.BooleanField(default=False)),
                ('experiment', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='guidance', to='experiments.experiment')),
            ],
        ),
    ]
