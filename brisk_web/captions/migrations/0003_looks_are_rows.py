from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("captions", "0002_kernel_of_work")]

    operations = [
        migrations.RemoveField(model_name="pairing", name="attempt"),
        migrations.RemoveField(model_name="pairing", name="burned"),
    ]
