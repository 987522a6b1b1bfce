from typing import Any

import django.utils.timezone
from django.db import migrations, models


def forget(apps: Any, schema_editor: Any) -> None:
    """Results were kept under other names; they are made again when they are asked for."""
    apps.get_model("moves", "Result").objects.all().delete()


class Migration(migrations.Migration):

    dependencies = [
        ('moves', '0002_own_sheets'),
    ]

    operations = [
        migrations.RunPython(forget, migrations.RunPython.noop),
        migrations.AddField(
            model_name='proofrow',
            name='code',
            field=models.CharField(blank=True, default='', max_length=64),
        ),
        migrations.AddField(
            model_name='result',
            name='pickled',
            field=models.BooleanField(default=True),
        ),
        migrations.AddField(
            model_name='result',
            name='size',
            field=models.BigIntegerField(default=0),
        ),
        migrations.AddField(
            model_name='result',
            name='used',
            field=models.DateTimeField(db_index=True, default=django.utils.timezone.now),
        ),
    ]
