using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class OwnTableAlterations : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "alterations",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    words = table.Column<string>(type: "text", nullable: false),
                    undo = table.Column<string>(type: "jsonb", nullable: true),
                    undoes = table.Column<Guid>(type: "uuid", nullable: true),
                    undone_by = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_alterations", x => x.id);
                });

            migrationBuilder.CreateIndex(
                name: "ix_alterations_dataset_id_at",
                table: "alterations",
                columns: new[] { "dataset_id", "at" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "alterations");
        }
    }
}
