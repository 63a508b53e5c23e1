from django.db import migrations

FORWARD = """
CREATE FUNCTION house_audit_is_append_only() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'the audit trail is append only';
END $$;
CREATE TRIGGER audit_is_append_only BEFORE UPDATE OR DELETE ON house_auditentry
    FOR EACH ROW EXECUTE FUNCTION house_audit_is_append_only();
"""
BACKWARD = """
DROP TRIGGER audit_is_append_only ON house_auditentry;
DROP FUNCTION house_audit_is_append_only();
"""


class Migration(migrations.Migration):
    dependencies = [("house", "0001_initial")]
    operations = [migrations.RunSQL(FORWARD, BACKWARD)]
