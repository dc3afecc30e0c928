-- A workflow of three steps (a record is read, something is decided, the signal room is told), and so many runs of it. No other is heard.
UPDATE workflows SET is_on = false;
WITH definition AS (
    SELECT '{
        "label": "Bench",
        "trigger": { "kind": "onDemand", "inputs": [{ "name": "number", "type": { "kind": "number" } }] },
        "runsAs": "superintendent",
        "keptDays": 90,
        "steps": [
            { "id": "s1", "isOff": false, "does": { "kind": "readRecord", "name": "found", "dataset": { "value": "DEFECTS" },
                "filter": "id = trigger.number" } },
            { "id": "s2", "isOff": false, "does": { "kind": "decide", "cases": [ { "when": "LEN(steps.found.title) > 0", "steps": [
                { "id": "s3", "isOff": false, "does": { "kind": "sendToChat", "source": { "value": "SIGNAL" }, "path": "/rooms/bench",
                    "message": "${steps.found.title}", "form": "{\"text\": ${message}}", "repeatable": true } } ] } ] } }
        ]
    }'::jsonb AS document
), workflow AS (
    INSERT INTO workflows (id, name, draft, revision, live_version, is_on)
    SELECT '00000000-0000-0000-0000-0000000000be', 'bench', document, 0, 1, true FROM definition RETURNING id
)
INSERT INTO workflow_versions (workflow_id, number, note, definition, published_by, published_at)
SELECT '00000000-0000-0000-0000-0000000000be', 1, '', document, 'bench', now() FROM definition;

INSERT INTO workflow_runs (workflow_id, version, is_dry, is_step_by_step, carries_next_out, set_off_by, input, state, status, due, person_name, depth, at, tells_person)
SELECT '00000000-0000-0000-0000-0000000000be', 1, false, false, false, 'bench', jsonb_build_object('number', number), '{"steps": {}}',
    'Ready', now(), 'bench', 0, now(), false
FROM generate_series(1, RUNS) AS number;
