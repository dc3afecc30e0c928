using System;
using Microsoft.EntityFrameworkCore.Migrations;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class AuditSignInRights : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.RenameColumn(
                name: "write_condition",
                table: "policies",
                newName: "update_condition");

            migrationBuilder.AddColumn<string>(
                name: "create_condition",
                table: "policies",
                type: "text",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "delete_condition",
                table: "policies",
                type: "text",
                nullable: true);

            migrationBuilder.Sql("UPDATE policies SET create_condition = update_condition, delete_condition = update_condition");

            migrationBuilder.AddColumn<string[]>(
                name: "new_only_fields",
                table: "policies",
                type: "text[]",
                nullable: false,
                defaultValue: new string[0]);

            migrationBuilder.AddColumn<string[]>(
                name: "read_only_fields",
                table: "policies",
                type: "text[]",
                nullable: false,
                defaultValue: new string[0]);

            migrationBuilder.CreateTable(
                name: "audit_entries",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    person_name = table.Column<string>(type: "text", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    subject = table.Column<string>(type: "text", nullable: false),
                    text = table.Column<string>(type: "text", nullable: false),
                    detail = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_audit_entries", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "sign_in_providers",
                columns: table => new
                {
                    name = table.Column<string>(type: "text", nullable: false),
                    label = table.Column<string>(type: "text", nullable: false),
                    is_on = table.Column<bool>(type: "boolean", nullable: false),
                    makes_people = table.Column<bool>(type: "boolean", nullable: false),
                    checks_second_factor = table.Column<bool>(type: "boolean", nullable: false),
                    settings = table.Column<string>(type: "jsonb", nullable: false),
                    protected_secret = table.Column<string>(type: "text", nullable: false),
                    rules = table.Column<string>(type: "jsonb", nullable: false),
                    revision = table.Column<int>(type: "integer", nullable: false),
                    failure = table.Column<string>(type: "text", nullable: true),
                    failed_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_sign_in_providers", x => x.name);
                });

            migrationBuilder.CreateIndex(
                name: "ix_audit_entries_at",
                table: "audit_entries",
                column: "at");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "audit_entries");

            migrationBuilder.DropTable(
                name: "sign_in_providers");

            migrationBuilder.DropColumn(
                name: "create_condition",
                table: "policies");

            migrationBuilder.DropColumn(
                name: "delete_condition",
                table: "policies");

            migrationBuilder.DropColumn(
                name: "new_only_fields",
                table: "policies");

            migrationBuilder.DropColumn(
                name: "read_only_fields",
                table: "policies");

            migrationBuilder.RenameColumn(
                name: "update_condition",
                table: "policies",
                newName: "write_condition");
        }
    }
}
