from django.db import migrations

FORWARD = """
CREATE TRIGGER decision_never_changes BEFORE UPDATE OR DELETE ON checks_waiver FOR EACH ROW
    EXECUTE FUNCTION house_decision_never_changes('taken_back_at', 'taken_back_by_id', 'taken_back_why', 'ended_at');
"""
BACKWARD = "DROP TRIGGER decision_never_changes ON checks_waiver;"


class Migration(migrations.Migration):
    dependencies = [("checks", "0005_waivers"), ("house", "0004_decisions_never_change")]
    operations = [migrations.RunSQL(FORWARD, BACKWARD)]
