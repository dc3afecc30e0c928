-- Ten thousand people in two hundred groups with a hundred roles, for bench/people.mjs. In the demo's store; ./rostrum reset takes them away.
INSERT INTO roles (id, label, needs_second_factor, can_be_chosen, permissions, builds_only, name, normalized_name, concurrency_stamp)
SELECT gen_random_uuid(), 'Bench role ' || n, false, false, 0, '{}', 'bench_role_' || n, upper('bench_role_' || n), gen_random_uuid()::text
FROM generate_series(1, 100) n;
INSERT INTO groups (name, label, roles) SELECT 'bench_group_' || n, 'Bench group ' || n, ARRAY['bench_role_' || (n % 100 + 1)] FROM generate_series(1, 200) n;
INSERT INTO people (id, name, attributes, watch_mail, user_name, normalized_user_name, email, normalized_email, email_confirmed,
  phone_number_confirmed, two_factor_enabled, lockout_enabled, access_failed_count, security_stamp, concurrency_stamp)
SELECT gen_random_uuid(), 'Bench ' || n, '{"port": "BRW"}', 'Never', 'bench' || n, 'BENCH' || n, 'bench' || n || '@brackwater.example',
  upper('bench' || n || '@brackwater.example'), true, false, false, true, 0, gen_random_uuid()::text, gen_random_uuid()::text
FROM generate_series(1, 10000) n;
INSERT INTO people_roles (user_id, role_id) SELECT p.id, r.id FROM people p
JOIN LATERAL (SELECT substr(p.user_name, 6)::int AS n) k ON p.user_name LIKE 'bench%'
JOIN roles r ON r.name IN ('bench_role_' || (k.n % 100 + 1), 'bench_role_' || (k.n % 37 + 40)) ON CONFLICT DO NOTHING;
INSERT INTO group_members (group_name, person_id) SELECT 'bench_group_' || (substr(user_name, 6)::int % 200 + 1), id FROM people WHERE user_name LIKE 'bench%';
INSERT INTO policies (role, dataset_id, verbs, condition, hidden_fields, read_only_fields, new_only_fields)
SELECT r.name, d.id, 145, CASE WHEN n % 2 = 0 THEN NULL ELSE 'true' END, '{}', '{}', '{}'
FROM roles r JOIN LATERAL (SELECT substr(r.name, 12)::int AS n) k ON r.name LIKE 'bench_role_%'
JOIN LATERAL (SELECT id, row_number() OVER (ORDER BY id) AS at FROM datasets) d ON d.at % 5 = k.n % 5 ON CONFLICT DO NOTHING;
ANALYZE;
