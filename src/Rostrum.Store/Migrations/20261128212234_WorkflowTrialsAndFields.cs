using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class WorkflowTrialsAndFields : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<bool>(
                name: "carries_next_out",
                table: "workflow_runs",
                type: "boolean",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<bool>(
                name: "is_step_by_step",
                table: "workflow_runs",
                type: "boolean",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<string>(
                name: "fields",
                table: "sign_offs",
                type: "jsonb",
                nullable: false,
                defaultValueSql: "'[]'");

            migrationBuilder.AddColumn<string>(
                name: "values",
                table: "sign_offs",
                type: "text",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "attachments",
                table: "outgoing_mails",
                type: "jsonb",
                nullable: false,
                defaultValueSql: "'[]'");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "carries_next_out",
                table: "workflow_runs");

            migrationBuilder.DropColumn(
                name: "is_step_by_step",
                table: "workflow_runs");

            migrationBuilder.DropColumn(
                name: "fields",
                table: "sign_offs");

            migrationBuilder.DropColumn(
                name: "values",
                table: "sign_offs");

            migrationBuilder.DropColumn(
                name: "attachments",
                table: "outgoing_mails");
        }
    }
}
