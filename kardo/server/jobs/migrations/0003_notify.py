"""A new revision of a job is told to whoever listens."""

from django.db import migrations

TELL = """
CREATE FUNCTION kardo_tell_revision() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('kardo', json_build_object(
    'topic', 'job ' || NEW.id, 'event', 'plan', 'revision', NEW.revision)::text);
  RETURN NULL;
END $$;
CREATE TRIGGER kardo_tell_revision AFTER UPDATE OF revision ON jobs_job FOR EACH ROW
  WHEN (OLD.revision IS DISTINCT FROM NEW.revision) EXECUTE FUNCTION kardo_tell_revision();
"""
FORGET = "DROP TRIGGER kardo_tell_revision ON jobs_job; DROP FUNCTION kardo_tell_revision();"


class Migration(migrations.Migration):
    dependencies = [("jobs", "0002_document")]
    operations = [migrations.RunSQL(TELL, FORGET)]
