"""A plan has stores in an order instead of one."""

import django.db.models.constraints
import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('plans', '0005_revisions'),
        ('storage', '0006_addresses'),
    ]

    operations = [
        migrations.CreateModel(
            name='PlanTarget',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('order', models.PositiveSmallIntegerField(help_text='0 is where runs go.')),
                ('delay_minutes', models.PositiveIntegerField(default=0, help_text='A copy is owed so long after its backup.')),
                ('copies_from', models.TimeField(help_text="Copies go there only from this time of the office's day; empty at any time.", null=True)),
                ('copies_until', models.TimeField(null=True)),
                ('limit_bytes_per_second', models.BigIntegerField(help_text='For each copy; empty without a limit.', null=True)),
                ('falls_over', models.BooleanField(default=False, help_text='Whether a run goes here when the stores before it cannot take it.')),
                ('plan', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='targets', to='plans.plan')),
                ('store', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='targets', to='storage.store')),
            ],
            options={
                'ordering': ['order'],
                'constraints': [models.UniqueConstraint(fields=('plan', 'store'), name='target_once'), models.UniqueConstraint(deferrable=django.db.models.constraints.Deferrable['DEFERRED'], fields=('plan', 'order'), name='target_order')],
            },
        ),
    ]
