"""Fields and models are called by the trade's terms; what was kept stays as it is."""

import django.db.models.deletion
from django.db import migrations, models

RENAMED_METRICS = {"foreign_share": "background_cpu_share"}


def rename_metrics(apps, schema_editor):
    rules = apps.get_model("studies", "MaterialityRule")
    for old, new in RENAMED_METRICS.items():
        rules.objects.filter(metric=old).update(metric=new)


def make_missing_plans(apps, schema_editor):
    plans = apps.get_model("studies", "StudyPlan")
    for study in apps.get_model("studies", "Study").objects.filter(kept_plan=None):
        plans.objects.create(study=study)


class Migration(migrations.Migration):
    dependencies = [("studies", "0010_term_standing")]

    operations = [
        migrations.RenameModel("StudyTerm", "MaterialityRule"),
        migrations.RenameModel("Settlement", "Waiver"),
        migrations.AlterField(
            "materialityrule", "study",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="materiality_rules",
                to="studies.study",
            ),
        ),
        migrations.AlterField(
            "waiver", "study",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="waivers",
                to="studies.study",
            ),
        ),
        migrations.RenameField("materialityrule", "standing", "family_role"),
        migrations.RenameField("waiver", "words", "text"),
        migrations.RenameField("studyplan", "foreign_limit", "background_cpu_limit"),
        migrations.RenameField("studyplan", "foreign_limit_set", "background_cpu_limit_set"),
        migrations.RunPython(rename_metrics, migrations.RunPython.noop),
        migrations.RunPython(make_missing_plans, migrations.RunPython.noop),
    ]
