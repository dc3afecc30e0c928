-- A workflow of three steps that each do something outside, and so many runs of it. No other is heard.
UPDATE workflows SET is_on = false;
WITH definition AS (
    SELECT '{
        "label": "Chaos",
        "trigger": { "kind": "onDemand", "inputs": [{ "name": "title", "type": { "kind": "text", "long": false } }] },
        "runsAs": "superintendent",
        "keptDays": 90,
        "steps": [
            { "id": "s1", "isOff": false, "does": { "kind": "createRecord", "name": "added", "dataset": { "value": "DEFECTS" },
                "values": { "vessel": "BF-101", "title": "=trigger.title", "reported_by": "chaos" } } },
            { "id": "s2", "isOff": false, "does": { "kind": "sendToChat", "source": { "value": "SIGNAL" }, "path": "/rooms/chaos",
                "message": "${steps.added.title}", "form": "{\"text\": ${message}}", "repeatable": true } },
            { "id": "s3", "isOff": false, "does": { "kind": "updateRecord", "name": "changed", "dataset": { "value": "DEFECTS" },
                "record": "steps.added", "values": { "state": "closed" } } }
        ]
    }'::jsonb AS document
), workflow AS (
    INSERT INTO workflows (id, name, draft, revision, live_version, is_on)
    SELECT '00000000-0000-0000-0000-0000000000c5', 'chaos', document, 0, 1, true FROM definition RETURNING id
)
INSERT INTO workflow_versions (workflow_id, number, note, definition, published_by, published_at)
SELECT '00000000-0000-0000-0000-0000000000c5', 1, '', document, 'chaos', now() FROM definition;

INSERT INTO workflow_runs (workflow_id, version, is_dry, is_step_by_step, carries_next_out, set_off_by, input, state, status, due, person_name, depth, at, tells_person)
SELECT '00000000-0000-0000-0000-0000000000c5', 1, false, false, false, 'chaos', jsonb_build_object('title', 'Chaos run ' || number), '{"steps": {}}',
    'Ready', now(), 'chaos', 0, now(), false
FROM generate_series(1, RUNS) AS number;
