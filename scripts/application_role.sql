-- What web and workers may do in the database: their work, and to the trail nothing but add to it.
-- Run by whoever owns the tables, after every migration. Tables, triggers and functions stay with their owner.
DO $$ BEGIN
  CREATE ROLE brisk_app LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION;
EXCEPTION WHEN duplicate_object OR unique_violation THEN NULL;
END $$;
REVOKE CREATE ON SCHEMA public FROM PUBLIC;
GRANT USAGE ON SCHEMA public TO brisk_app;
GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO brisk_app;
GRANT USAGE, SELECT ON ALL SEQUENCES IN SCHEMA public TO brisk_app;
GRANT EXECUTE ON ALL FUNCTIONS IN SCHEMA public TO brisk_app;
REVOKE INSERT, UPDATE, DELETE ON django_migrations FROM brisk_app;
REVOKE UPDATE, DELETE ON house_auditentry, house_auditseal FROM brisk_app;
