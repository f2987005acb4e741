from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("runs", "0010_prepared_state")]

    operations = [
        migrations.AddField(
            model_name="run",
            name="unread",
            field=models.CharField(
                blank=True,
                help_text="why its record was set aside and is not read",
                max_length=300,
            ),
        ),
    ]
