"""How far a computation is, is told to whoever of the organisation listens: another job may wait for the same plan."""

from django.db import migrations

TELL = """
CREATE FUNCTION kardo_tell_progress() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('kardo', json_build_object(
    'topic', 'organisation ' || NEW.organisation_id, 'event', NEW.kind, 'hash', NEW.plan_hash, 'state', NEW.state,
    'stage', NEW.stage, 'share', NEW.share, 'started_at', NEW.started_at)::text);
  RETURN NULL;
END $$;
CREATE TRIGGER kardo_tell_progress AFTER INSERT OR UPDATE OF state, stage, share ON predictions_prediction FOR EACH ROW
  EXECUTE FUNCTION kardo_tell_progress();
"""
FORGET = "DROP TRIGGER kardo_tell_progress ON predictions_prediction; DROP FUNCTION kardo_tell_progress();"


class Migration(migrations.Migration):
    dependencies = [("predictions", "0003_key")]
    operations = [migrations.RunSQL(TELL, FORGET)]
