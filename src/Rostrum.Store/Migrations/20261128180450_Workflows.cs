using System;
using Microsoft.EntityFrameworkCore.Migrations;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class Workflows : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "saved_records",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    transaction = table.Column<string>(type: "text", nullable: false),
                    changes = table.Column<string>(type: "jsonb", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    person_name = table.Column<string>(type: "text", nullable: false),
                    depth = table.Column<int>(type: "integer", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    is_saved = table.Column<bool>(type: "boolean", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_saved_records", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "workflows",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    draft = table.Column<string>(type: "jsonb", nullable: false),
                    revision = table.Column<int>(type: "integer", nullable: false),
                    live_version = table.Column<int>(type: "integer", nullable: true),
                    is_on = table.Column<bool>(type: "boolean", nullable: false),
                    scheduled_up_to = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_workflows", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "workflow_edits",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    workflow_id = table.Column<Guid>(type: "uuid", nullable: false),
                    said = table.Column<string>(type: "text", nullable: false),
                    person_name = table.Column<string>(type: "text", nullable: false),
                    before = table.Column<string>(type: "jsonb", nullable: false),
                    after = table.Column<string>(type: "jsonb", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    is_undone = table.Column<bool>(type: "boolean", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_workflow_edits", x => x.id);
                    table.ForeignKey(
                        name: "fk_workflow_edits_workflows_workflow_id",
                        column: x => x.workflow_id,
                        principalTable: "workflows",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "workflow_runs",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    workflow_id = table.Column<Guid>(type: "uuid", nullable: false),
                    version = table.Column<int>(type: "integer", nullable: true),
                    tried = table.Column<string>(type: "jsonb", nullable: true),
                    is_dry = table.Column<bool>(type: "boolean", nullable: false),
                    set_off_by = table.Column<string>(type: "text", nullable: false),
                    input = table.Column<string>(type: "jsonb", nullable: false),
                    state = table.Column<string>(type: "jsonb", nullable: false),
                    status = table.Column<string>(type: "text", nullable: false),
                    due = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    key = table.Column<string>(type: "text", nullable: true),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: true),
                    record_key = table.Column<string>(type: "text", nullable: true),
                    record_title = table.Column<string>(type: "text", nullable: true),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    person_name = table.Column<string>(type: "text", nullable: false),
                    caller_id = table.Column<long>(type: "bigint", nullable: true),
                    caller_path = table.Column<string>(type: "text", nullable: true),
                    depth = table.Column<int>(type: "integer", nullable: false),
                    delivery = table.Column<string>(type: "text", nullable: true),
                    tells_person = table.Column<bool>(type: "boolean", nullable: false),
                    message = table.Column<string>(type: "text", nullable: true),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    begun_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    ended_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_workflow_runs", x => x.id);
                    table.ForeignKey(
                        name: "fk_workflow_runs_workflows_workflow_id",
                        column: x => x.workflow_id,
                        principalTable: "workflows",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "workflow_versions",
                columns: table => new
                {
                    workflow_id = table.Column<Guid>(type: "uuid", nullable: false),
                    number = table.Column<int>(type: "integer", nullable: false),
                    note = table.Column<string>(type: "text", nullable: false),
                    definition = table.Column<string>(type: "jsonb", nullable: false),
                    published_by = table.Column<string>(type: "text", nullable: false),
                    published_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_workflow_versions", x => new { x.workflow_id, x.number });
                    table.ForeignKey(
                        name: "fk_workflow_versions_workflows_workflow_id",
                        column: x => x.workflow_id,
                        principalTable: "workflows",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "sign_offs",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    run_id = table.Column<long>(type: "bigint", nullable: false),
                    path = table.Column<string>(type: "text", nullable: false),
                    question = table.Column<string>(type: "text", nullable: false),
                    text = table.Column<string>(type: "text", nullable: false),
                    answers = table.Column<string[]>(type: "text[]", nullable: false),
                    needs_comment = table.Column<string[]>(type: "text[]", nullable: false),
                    people = table.Column<Guid[]>(type: "uuid[]", nullable: false),
                    escalates_to = table.Column<Guid[]>(type: "uuid[]", nullable: false),
                    due = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    escalated_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    reminded_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: true),
                    record_key = table.Column<string>(type: "text", nullable: true),
                    record_title = table.Column<string>(type: "text", nullable: true),
                    asked_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    answered_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    answer = table.Column<string>(type: "text", nullable: true),
                    comment = table.Column<string>(type: "text", nullable: true),
                    answered_by = table.Column<string>(type: "text", nullable: true),
                    is_withdrawn = table.Column<bool>(type: "boolean", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_sign_offs", x => x.id);
                    table.ForeignKey(
                        name: "fk_sign_offs_workflow_runs_run_id",
                        column: x => x.run_id,
                        principalTable: "workflow_runs",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "workflow_run_lists",
                columns: table => new
                {
                    run_id = table.Column<long>(type: "bigint", nullable: false),
                    path = table.Column<string>(type: "text", nullable: false),
                    items = table.Column<string>(type: "jsonb", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_workflow_run_lists", x => new { x.run_id, x.path });
                    table.ForeignKey(
                        name: "fk_workflow_run_lists_workflow_runs_run_id",
                        column: x => x.run_id,
                        principalTable: "workflow_runs",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "workflow_run_steps",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    run_id = table.Column<long>(type: "bigint", nullable: false),
                    path = table.Column<string>(type: "text", nullable: false),
                    step_id = table.Column<string>(type: "text", nullable: false),
                    label = table.Column<string>(type: "text", nullable: false),
                    status = table.Column<string>(type: "text", nullable: false),
                    input = table.Column<string>(type: "text", nullable: false),
                    output = table.Column<string>(type: "text", nullable: false),
                    failure = table.Column<string>(type: "text", nullable: true),
                    transaction = table.Column<string>(type: "text", nullable: true),
                    record = table.Column<string>(type: "text", nullable: true),
                    begun_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    ended_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_workflow_run_steps", x => x.id);
                    table.ForeignKey(
                        name: "fk_workflow_run_steps_workflow_runs_run_id",
                        column: x => x.run_id,
                        principalTable: "workflow_runs",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "ix_sign_offs_asked_at",
                table: "sign_offs",
                column: "asked_at",
                filter: "answered_at IS NULL AND NOT is_withdrawn");

            migrationBuilder.CreateIndex(
                name: "ix_sign_offs_dataset_id_record_key",
                table: "sign_offs",
                columns: new[] { "dataset_id", "record_key" });

            migrationBuilder.CreateIndex(
                name: "ix_sign_offs_run_id",
                table: "sign_offs",
                column: "run_id");

            migrationBuilder.CreateIndex(
                name: "ix_workflow_edits_workflow_id_id",
                table: "workflow_edits",
                columns: new[] { "workflow_id", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_workflow_run_steps_run_id_id",
                table: "workflow_run_steps",
                columns: new[] { "run_id", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_workflow_runs_dataset_id_record_key",
                table: "workflow_runs",
                columns: new[] { "dataset_id", "record_key" });

            migrationBuilder.CreateIndex(
                name: "ix_workflow_runs_due",
                table: "workflow_runs",
                column: "due",
                filter: "status = 'Ready'");

            migrationBuilder.CreateIndex(
                name: "ix_workflow_runs_workflow_id_delivery",
                table: "workflow_runs",
                columns: new[] { "workflow_id", "delivery" },
                unique: true,
                filter: "delivery IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_workflow_runs_workflow_id_id",
                table: "workflow_runs",
                columns: new[] { "workflow_id", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_workflows_name",
                table: "workflows",
                column: "name",
                unique: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "saved_records");

            migrationBuilder.DropTable(
                name: "sign_offs");

            migrationBuilder.DropTable(
                name: "workflow_edits");

            migrationBuilder.DropTable(
                name: "workflow_run_lists");

            migrationBuilder.DropTable(
                name: "workflow_run_steps");

            migrationBuilder.DropTable(
                name: "workflow_versions");

            migrationBuilder.DropTable(
                name: "workflow_runs");

            migrationBuilder.DropTable(
                name: "workflows");
        }
    }
}
