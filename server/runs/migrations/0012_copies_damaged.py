
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('runs', '0011_backup_update_pending'),
        ('storage', '0005_remembered_notes'),
    ]

    operations = [
        migrations.AddIndex(
            model_name='copy',
            index=models.Index(condition=models.Q(('intact', False), ('state', 'present')), fields=['backup'], name='copies_damaged'),
        ),
    ]
