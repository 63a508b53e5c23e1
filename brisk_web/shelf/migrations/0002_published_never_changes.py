from django.db import migrations

FORWARD = """
CREATE FUNCTION shelf_published_never_changes() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF OLD.published_at IS NOT NULL THEN
        RAISE EXCEPTION 'a published spec version never changes';
    END IF;
    RETURN CASE TG_OP WHEN 'DELETE' THEN OLD ELSE NEW END;
END $$;
CREATE TRIGGER published_never_changes BEFORE UPDATE OR DELETE ON shelf_specversion
    FOR EACH ROW EXECUTE FUNCTION shelf_published_never_changes();
"""
BACKWARD = """
DROP TRIGGER published_never_changes ON shelf_specversion;
DROP FUNCTION shelf_published_never_changes();
"""


class Migration(migrations.Migration):
    dependencies = [("shelf", "0001_initial")]
    operations = [migrations.RunSQL(FORWARD, BACKWARD)]
