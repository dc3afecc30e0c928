using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class RecordAttributesAndPublicLinks : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<Guid>(
                name: "dataset_id",
                table: "person_attributes",
                type: "uuid",
                nullable: true);

            migrationBuilder.AddColumn<bool>(
                name: "set_by_self",
                table: "person_attributes",
                type: "boolean",
                nullable: false,
                defaultValue: false);

            migrationBuilder.CreateTable(
                name: "public_links",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    app = table.Column<string>(type: "text", nullable: false),
                    page = table.Column<string>(type: "text", nullable: false),
                    role = table.Column<string>(type: "text", nullable: false),
                    allows_forms = table.Column<bool>(type: "boolean", nullable: false),
                    digest = table.Column<byte[]>(type: "bytea", nullable: false),
                    made_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    made_by = table.Column<Guid>(type: "uuid", nullable: false),
                    ends = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_public_links", x => x.id);
                });

            migrationBuilder.CreateIndex(
                name: "ix_public_links_digest",
                table: "public_links",
                column: "digest",
                unique: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "public_links");

            migrationBuilder.DropColumn(
                name: "dataset_id",
                table: "person_attributes");

            migrationBuilder.DropColumn(
                name: "set_by_self",
                table: "person_attributes");
        }
    }
}
