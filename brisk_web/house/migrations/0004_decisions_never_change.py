from django.db import migrations

#: A decision is filled in once: what its trigger names may go from empty to a value, all else stays, and no row goes.
FORWARD = """
CREATE FUNCTION house_decision_never_changes() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    before jsonb := to_jsonb(OLD);
    after jsonb := to_jsonb(NEW);
    name text;
BEGIN
    IF TG_OP = 'DELETE' THEN
        RAISE EXCEPTION 'a decision is never removed, only taken back';
    END IF;
    IF before - TG_ARGV::text[] IS DISTINCT FROM after - TG_ARGV::text[] THEN
        RAISE EXCEPTION 'a decision never changes';
    END IF;
    FOREACH name IN ARRAY TG_ARGV LOOP
        IF before -> name IS DISTINCT FROM after -> name AND coalesce(before ->> name, '') <> '' THEN
            RAISE EXCEPTION 'a decision that has ended never changes';
        END IF;
    END LOOP;
    RETURN NEW;
END $$;
"""
BACKWARD = "DROP FUNCTION house_decision_never_changes();"


class Migration(migrations.Migration):
    dependencies = [("house", "0003_seals")]
    operations = [migrations.RunSQL(FORWARD, BACKWARD)]
