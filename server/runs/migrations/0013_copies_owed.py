"""Copies are owed before they are under way."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('runs', '0012_copies_damaged'),
        ('storage', '0006_addresses'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='copy',
            name='attempts',
            field=models.PositiveSmallIntegerField(default=0),
        ),
        migrations.AddField(
            model_name='copy',
            name='by',
            field=models.ForeignKey(help_text='Who asked for it; empty: its plan.', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='copy',
            name='copied_at',
            field=models.DateTimeField(help_text='When the store listed it; empty for what a run stored.', null=True),
        ),
        migrations.AddField(
            model_name='copy',
            name='due_at',
            field=models.DateTimeField(help_text='Not before this: its delay, or the next try.', null=True),
        ),
        migrations.AddField(
            model_name='copy',
            name='progress',
            field=models.JSONField(default=dict, help_text='{done_bytes, total_bytes, bytes_per_second} while it is under way.'),
        ),
        migrations.AddField(
            model_name='copy',
            name='sent_bytes',
            field=models.BigIntegerField(default=0, help_text='Sealed bytes that were written for it.'),
        ),
        migrations.AddField(
            model_name='run',
            name='fell_over_from',
            field=models.ForeignKey(help_text='The store that could not take it; empty when it went where its plan says.', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='storage.store'),
        ),
        migrations.AlterField(
            model_name='copy',
            name='asked_at',
            field=models.DateTimeField(help_text='Since when it is owed; empty for what a run stored.', null=True),
        ),
        migrations.AlterField(
            model_name='copy',
            name='state',
            field=models.CharField(choices=[('owed', 'Owed'), ('copying', 'Copying'), ('failed', 'Failed'), ('present', 'Present'), ('missing', 'Missing'), ('removing', 'Removing'), ('removed', 'Removed')], default='present', max_length=8),
        ),
        migrations.AddIndex(
            model_name='copy',
            index=models.Index(condition=models.Q(('state', 'owed')), fields=['store', 'due_at'], name='copies_owed'),
        ),
    ]
