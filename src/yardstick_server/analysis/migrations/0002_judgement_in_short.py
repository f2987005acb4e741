from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("analysis", "0001_initial")]

    operations = [
        migrations.AddField(
            model_name="studyjudgement",
            name="summary",
            field=models.JSONField(default=dict, help_text="what of the board stands in short"),
        ),
        migrations.AddField(
            model_name="studyjudgement",
            name="verdicts_before",
            field=models.JSONField(
                default=dict,
                help_text="of each answer, its verdict before it last changed, and when",
            ),
        ),
        migrations.AddField(
            model_name="studyjudgement",
            name="verdicts_changed",
            field=models.DateTimeField(
                null=True, help_text="when a verdict on what decides last changed"
            ),
        ),
    ]
