import django.db.models.deletion
from django.db import migrations, models

#: One row a deliverable: what its newest attempt is like, where it stands, and since when.
FORWARD = """
CREATE VIEW handoff_standing AS
SELECT
    known.*,
    CASE
        WHEN state IN ('sending', 'with them', 'taken', 'refused', 'wrong') THEN sent_at
        WHEN state IN ('signed', 'half signed') THEN signed_at
        WHEN state = 'asked' THEN asked_at
        WHEN state = 'deciding' THEN coalesce(judged, taken_in)
        WHEN state = 'reading' THEN taken_in
    END AS since
FROM (
    SELECT
        deliverable.id AS deliverable_id,
        newest.id AS newest_render,
        coalesce(checked.verdict, '') AS verdict,
        checked.judged_at AS judged,
        coalesce(inspected.state, '') AS reading,
        newest.taken_in_at AS taken_in,
        request.made_at AS asked_at,
        signed.signed_at,
        sent.at AS sent_at,
        CASE
            WHEN newest.id IS NULL THEN 'waiting'
            WHEN sent.answer = 'taken' THEN 'taken'
            WHEN sent.answer = 'refused' AND request.made_at IS NULL THEN 'refused'
            WHEN sent.answer = 'wrong' AND request.made_at IS NULL THEN 'wrong'
            WHEN sent.state = 'done' AND request.made_at IS NULL THEN 'with them'
            WHEN sent.state IS NOT NULL AND request.made_at IS NULL THEN 'sending'
            WHEN signed.people >= 2 THEN 'signed'
            WHEN signed.people = 1 AND NOT deliverable.two_sign THEN 'signed'
            WHEN request.made_at IS NOT NULL THEN 'asked'
            WHEN signed.people = 1 THEN 'half signed'
            WHEN inspected.state IN ('queued', 'running') THEN 'reading'
            ELSE 'deciding'
        END AS state
    FROM jobs_deliverable AS deliverable
    LEFT JOIN LATERAL (
        SELECT id, media_file_id, taken_in_at FROM jobs_render
        WHERE deliverable_id = deliverable.id ORDER BY attempt DESC LIMIT 1
    ) AS newest ON true
    LEFT JOIN checks_check AS checked ON checked.render_id = newest.id
    LEFT JOIN storage_mediafile AS file ON file.id = newest.media_file_id
    LEFT JOIN inspections_inspection AS inspected ON inspected.id = file.inspection_id
    LEFT JOIN LATERAL (
        SELECT max(made_at) AS made_at FROM decisions_request
        WHERE render_id = newest.id AND taken_back_at IS NULL
    ) AS request ON true
    LEFT JOIN LATERAL (
        SELECT count(DISTINCT made_by_id) AS people, max(made_at) AS signed_at FROM decisions_signature
        WHERE render_id = newest.id AND taken_back_at IS NULL AND voided_at IS NULL
    ) AS signed ON true
    LEFT JOIN LATERAL (
        SELECT state, answer, coalesce(answered_at, finished_at, created_at) AS at FROM handoff_handoff
        WHERE render_id = newest.id AND state <> 'cancelled' ORDER BY id DESC LIMIT 1
    ) AS sent ON true
) AS known;
"""
BACKWARD = "DROP VIEW handoff_standing;"


class Migration(migrations.Migration):
    dependencies = [
        ("handoff", "0002_sites"),
        ("jobs", "0005_language"),
        ("storage", "0003_mediafile_retired_at_storageroot_retired_at"),
        ("checks", "0006_waivers_never_change"),
        ("decisions", "0002_never_change"),
        ("inspections", "0005_states_of_work"),
    ]
    operations = [
        migrations.RunSQL(FORWARD, BACKWARD),
        migrations.CreateModel(
            name="Standing",
            fields=[
                (
                    "deliverable",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.DO_NOTHING,
                        primary_key=True,
                        related_name="standing",
                        serialize=False,
                        to="jobs.deliverable",
                    ),
                ),
            ],
            options={"managed": False},
        ),
    ]
