from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('moves', '0003_results_bounded'),
    ]

    operations = [
        migrations.AddField(
            model_name='move',
            name='told',
            field=models.TextField(blank=True, default=''),
        ),
    ]
