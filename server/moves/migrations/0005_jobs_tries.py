from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('moves', '0004_moves_told'),
    ]

    operations = [
        migrations.AddField(
            model_name='job',
            name='tries',
            field=models.PositiveSmallIntegerField(default=0),
        ),
    ]
