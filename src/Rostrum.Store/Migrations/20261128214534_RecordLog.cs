using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class RecordLog : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "via",
                table: "saved_records",
                type: "text",
                nullable: false,
                defaultValue: "");
            migrationBuilder.Sql(
                """
                CREATE TABLE log_entries (
                    id bigint NOT NULL,
                    at timestamptz NOT NULL,
                    dataset_id uuid NOT NULL,
                    key text NOT NULL,
                    title text NOT NULL,
                    kind text NOT NULL,
                    fields text NOT NULL,
                    inverse text,
                    person_id uuid,
                    person_name text NOT NULL,
                    via text NOT NULL,
                    batch bigint NOT NULL,
                    before bytea NOT NULL,
                    digest bytea NOT NULL,
                    PRIMARY KEY (id, at)
                ) PARTITION BY RANGE (at);
                CREATE INDEX ix_log_entries_record ON log_entries (dataset_id, key, id);
                CREATE INDEX ix_log_entries_batch ON log_entries (batch);
                CREATE FUNCTION add_log_month(month date) RETURNS void LANGUAGE plpgsql AS
                $$ BEGIN
                    EXECUTE format('CREATE TABLE IF NOT EXISTS %I PARTITION OF log_entries FOR VALUES FROM (%L) TO (%L)',
                        'log_entries_' || to_char(month, 'YYYY_MM'), month || ' 00:00:00+00', (month + interval '1 month')::date || ' 00:00:00+00');
                END $$;
                CREATE FUNCTION refuse_to_alter_log() RETURNS trigger LANGUAGE plpgsql AS
                $$ BEGIN RAISE EXCEPTION 'entries of the logbook are only ever added'; END $$;
                CREATE TRIGGER log_entries_are_only_added BEFORE UPDATE OR DELETE ON log_entries
                    FOR EACH ROW EXECUTE FUNCTION refuse_to_alter_log();
                REVOKE UPDATE, DELETE, TRUNCATE ON log_entries FROM CURRENT_USER;
                """);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.Sql("DROP TABLE log_entries; DROP FUNCTION refuse_to_alter_log(); DROP FUNCTION add_log_month(date);");
            migrationBuilder.DropColumn(
                name: "via",
                table: "saved_records");
        }
    }
}
