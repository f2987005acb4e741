from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studies", "0008_background_share")]

    operations = [
        migrations.AddField(
            model_name="studyterm",
            name="decides",
            field=models.BooleanField(default=False, help_text="the question is about it"),
        ),
    ]
