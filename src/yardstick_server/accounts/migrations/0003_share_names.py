from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0002_people")]

    operations = [
        migrations.AddField(
            model_name="sharelink",
            name="names",
            field=models.BooleanField(
                default=False, help_text="whether it shows which member did what"
            ),
        ),
    ]
