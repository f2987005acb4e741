from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studies", "0009_term_decides")]

    operations = [
        migrations.AddField(
            model_name="studyterm",
            name="standing",
            field=models.CharField(
                blank=True, max_length=8, help_text="among the metrics that say the same fact"
            ),
        ),
    ]
