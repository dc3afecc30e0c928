using System;
using Microsoft.EntityFrameworkCore.Migrations;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class BulkChanges : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "bulk_changes",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    request = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    via = table.Column<string>(type: "text", nullable: false),
                    app = table.Column<string>(type: "text", nullable: true),
                    work = table.Column<string>(type: "text", nullable: false),
                    values = table.Column<string>(type: "jsonb", nullable: false),
                    undoes = table.Column<long>(type: "bigint", nullable: true),
                    records = table.Column<int>(type: "integer", nullable: false),
                    done = table.Column<int>(type: "integer", nullable: false),
                    refused = table.Column<int>(type: "integer", nullable: false),
                    status = table.Column<string>(type: "text", nullable: false),
                    stops = table.Column<bool>(type: "boolean", nullable: false),
                    problem = table.Column<string>(type: "text", nullable: true),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    ended_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_bulk_changes", x => x.id);
                    table.ForeignKey(
                        name: "fk_bulk_changes_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "workspace_settings",
                columns: table => new
                {
                    id = table.Column<int>(type: "integer", nullable: false),
                    log_kept_months = table.Column<int>(type: "integer", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_workspace_settings", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "bulk_parts",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    bulk_id = table.Column<long>(type: "bigint", nullable: false),
                    number = table.Column<int>(type: "integer", nullable: false),
                    records = table.Column<string>(type: "jsonb", nullable: false),
                    undoes = table.Column<long>(type: "bigint", nullable: true),
                    saved = table.Column<long>(type: "bigint", nullable: true),
                    transaction = table.Column<string>(type: "text", nullable: false),
                    done = table.Column<int>(type: "integer", nullable: false),
                    refused = table.Column<string>(type: "jsonb", nullable: false),
                    is_over = table.Column<bool>(type: "boolean", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_bulk_parts", x => x.id);
                    table.ForeignKey(
                        name: "fk_bulk_parts_bulk_changes_bulk_id",
                        column: x => x.bulk_id,
                        principalTable: "bulk_changes",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "ix_bulk_changes_person_id",
                table: "bulk_changes",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_bulk_changes_request",
                table: "bulk_changes",
                column: "request",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_bulk_changes_running",
                table: "bulk_changes",
                column: "id",
                filter: "status = 'Running'");

            migrationBuilder.CreateIndex(
                name: "ix_bulk_parts_bulk_id_number",
                table: "bulk_parts",
                columns: new[] { "bulk_id", "number" },
                unique: true);
            migrationBuilder.Sql(
                """
                CREATE FUNCTION drop_log_months(before date) RETURNS integer LANGUAGE plpgsql AS
                $$ DECLARE month text; dropped integer := 0; BEGIN
                    FOR month IN SELECT c.relname FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
                        WHERE i.inhparent = 'log_entries'::regclass AND c.relname < 'log_entries_' || to_char(before, 'YYYY_MM')
                    LOOP
                        EXECUTE format('DROP TABLE %I', month);
                        dropped := dropped + 1;
                    END LOOP;
                    RETURN dropped;
                END $$;
                """);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.Sql("DROP FUNCTION drop_log_months(date);");
            migrationBuilder.DropTable(
                name: "bulk_parts");

            migrationBuilder.DropTable(
                name: "workspace_settings");

            migrationBuilder.DropTable(
                name: "bulk_changes");
        }
    }
}
