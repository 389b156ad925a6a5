from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("telling", "0001_nights"), ("oversight", "0005_incident")]

    operations = [migrations.RenameField("Message", "matter", "incident")]
