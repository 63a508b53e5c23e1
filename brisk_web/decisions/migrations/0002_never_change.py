from django.db import migrations

_TAKEN_BACK = "'taken_back_at', 'taken_back_by_id', 'taken_back_why'"
_FILLED_ONCE = {
    "decisions_signature": f"{_TAKEN_BACK}, 'voided_at', 'voided_why'",
    "decisions_watching": _TAKEN_BACK,
    "decisions_request": _TAKEN_BACK,
}
FORWARD = "\n".join(
    f"CREATE TRIGGER decision_never_changes BEFORE UPDATE OR DELETE ON {table} "
    f"FOR EACH ROW EXECUTE FUNCTION house_decision_never_changes({names});"
    for table, names in _FILLED_ONCE.items()
)
BACKWARD = "\n".join(f"DROP TRIGGER decision_never_changes ON {table};" for table in _FILLED_ONCE)


class Migration(migrations.Migration):
    dependencies = [("decisions", "0001_initial"), ("house", "0004_decisions_never_change")]
    operations = [migrations.RunSQL(FORWARD, BACKWARD)]
