from urllib.parse import urlencode

from django.db import migrations, models

OF_PLAN = ("cap", "reserve", "wrapper", "codec", "group", "picture_rate")
OF_FILE = ("name", "length", "rate", "size", "sounds", "texts", "weight")


def keep_addresses(apps, schema_editor):
    """Give plans that were kept before the address that asks them again: all of them were plans of bits."""
    for plan in apps.get_model("planner", "Plan").objects.all():
        pairs = [(name, str(plan.asked[name])) for name in OF_PLAN if name in plan.asked]
        for row in plan.asked["files"]:
            texts = row | {"sounds": ", ".join(row.get("sounds", []))}
            pairs += [(f"file_{name}", str(texts.get(name, ""))) for name in OF_FILE]
        if plan.spec_version_id:
            pairs.append(("spec_version", plan.spec_version_id))
        plan.query = urlencode(pairs)
        plan.save(update_fields=["query"])


class Migration(migrations.Migration):
    dependencies = [
        ("planner", "0001_initial"),
    ]

    operations = [
        migrations.AddField(
            model_name="plan",
            name="kind",
            field=models.CharField(
                choices=[
                    ("bits", "What fits"),
                    ("sizes", "Sizes"),
                    ("rates", "Rates"),
                    ("order", "Nearest rows"),
                    ("plays", "Plays"),
                    ("deck", "Deck"),
                    ("disc", "Disc"),
                ],
                default="bits",
                max_length=8,
            ),
        ),
        migrations.AddField(
            model_name="plan",
            name="query",
            field=models.TextField(blank=True),
        ),
        migrations.RunPython(keep_addresses, migrations.RunPython.noop),
    ]
