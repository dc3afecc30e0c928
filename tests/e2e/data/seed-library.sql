-- A database that the makers of the application have not shaped: a seed library, with the oddities that grown databases have.
CREATE DOMAIN share AS numeric(5,2) CHECK (VALUE BETWEEN 0 AND 100);

CREATE TABLE kind_codes (code char(2) PRIMARY KEY, description text NOT NULL);
INSERT INTO kind_codes VALUES ('VE', 'Vegetable'), ('HE', 'Herb'), ('FL', 'Flower');

-- A hierarchy: families, genera, species.
CREATE TABLE taxa (
    taxon_id uuid PRIMARY KEY DEFAULT gen_random_uuid(), latin_name text NOT NULL UNIQUE, common_names text[] NOT NULL DEFAULT '{}',
    parent_taxon uuid REFERENCES taxa, kind_code char(2) REFERENCES kind_codes);
INSERT INTO taxa (latin_name, common_names, kind_code)
SELECT 'Taxon ' || chr(64 + n), ARRAY['name ' || n, 'other ' || n], (ARRAY['VE', 'HE', 'FL'])[n % 3 + 1] FROM generate_series(1, 12) n;
UPDATE taxa SET parent_taxon = (SELECT taxon_id FROM taxa WHERE latin_name = 'Taxon A') WHERE latin_name > 'Taxon D';

CREATE TABLE members (
    member_no serial PRIMARY KEY, first_name text NOT NULL, last_name text NOT NULL, email text, phone text, standing text NOT NULL DEFAULT 'active',
    discount_pct share, joined_on date NOT NULL, created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz, updated_by text);
INSERT INTO members (first_name, last_name, email, phone, standing, discount_pct, joined_on)
SELECT (ARRAY['Ida', 'Olav', 'Runa', 'Tor', 'Siv'])[n % 5 + 1], 'Lund ' || n, 'member' || n || '@seeds.example', '+47 40 00 0' || n || ' 12', CASE WHEN n % 7 = 0 THEN 'lapsed' ELSE 'active' END,
       n % 20, DATE '2019-01-01' + n * 11
FROM generate_series(10, 99) n;

CREATE TABLE growers (grower_code varchar(6) PRIMARY KEY, company text NOT NULL, website text, terms text);
INSERT INTO growers SELECT 'GR-' || lpad(n::text, 2, '0'), 'Grower ' || n || ' & Daughters', 'https://grower' || n || '.example', repeat('Delivered in spring. ', 12) FROM generate_series(1, 40) n;

CREATE TABLE seed_lots (
    lot_no text PRIMARY KEY, taxon_id uuid NOT NULL REFERENCES taxa, grower text, harvested_on date NOT NULL, best_before date, grams numeric(9,2) NOT NULL CHECK (grams >= 0),
    unit_price numeric(8,2) NOT NULL DEFAULT 0, state text NOT NULL CHECK (state IN ('in stock', 'reserved', 'used up')), germination jsonb, remarks text,
    CONSTRAINT keeps CHECK (best_before > harvested_on));
-- No key says that a lot's grower is one of the growers; two lots name one that is gone.
INSERT INTO seed_lots
SELECT 'L' || lpad(n::text, 4, '0'), (SELECT taxon_id FROM taxa ORDER BY latin_name OFFSET n % 12 LIMIT 1), CASE WHEN n IN (17, 18) THEN 'GR-99' ELSE 'GR-' || lpad((n % 40 + 1)::text, 2, '0') END,
       DATE '2024-08-01' + n, DATE '2027-08-01' + n, n * 2.5, n * 0.4, (ARRAY['in stock', 'reserved', 'used up'])[n % 3 + 1], '{"tested": true}', NULL
FROM generate_series(1, 240) n;

CREATE TABLE labels (label text PRIMARY KEY);
INSERT INTO labels VALUES ('organic'), ('heirloom'), ('hardy');
CREATE TABLE lot_labels (lot_no text REFERENCES seed_lots, label text REFERENCES labels, PRIMARY KEY (lot_no, label));
INSERT INTO lot_labels SELECT lot_no, 'organic' FROM seed_lots WHERE grams > 200;

CREATE TABLE loans (
    loan_id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, member_no int NOT NULL REFERENCES members, lent_at timestamptz NOT NULL DEFAULT now(), due_on date NOT NULL,
    deposit_amount numeric(8,2) NOT NULL DEFAULT 0, returned boolean NOT NULL DEFAULT false);
INSERT INTO loans (member_no, lent_at, due_on, returned) SELECT n % 60 + 1, now() - n * interval '5 hours', current_date + n % 30, n % 2 = 0 FROM generate_series(1, 400) n;
CREATE TABLE loan_lines (loan_id bigint REFERENCES loans ON DELETE CASCADE, line_no int, lot_no text NOT NULL REFERENCES seed_lots, grams numeric(9,2) NOT NULL CHECK (grams > 0), PRIMARY KEY (loan_id, line_no));
INSERT INTO loan_lines SELECT loan_id, 1, 'L0' || 100 + loan_id % 100, 5 FROM loans;
CREATE VIEW stock AS SELECT state, sum(grams) AS grams FROM seed_lots GROUP BY state;
