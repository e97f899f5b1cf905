from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('accounts', '0005_bags'),
    ]

    operations = [
        migrations.AddField(
            model_name='workspace',
            name='rates',
            field=models.JSONField(blank=True, default=dict),
        ),
    ]
