using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class SourceNotes : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<DateTimeOffset>(
                name: "failed_at",
                table: "sources",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "failure",
                table: "sources",
                type: "text",
                nullable: true);

            migrationBuilder.AddColumn<DateTimeOffset>(
                name: "used_at",
                table: "secrets",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "used_by",
                table: "secrets",
                type: "text",
                nullable: false,
                defaultValue: "");

            migrationBuilder.AddColumn<string>(
                name: "used_in",
                table: "secrets",
                type: "text",
                nullable: false,
                defaultValue: "");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "failed_at",
                table: "sources");

            migrationBuilder.DropColumn(
                name: "failure",
                table: "sources");

            migrationBuilder.DropColumn(
                name: "used_at",
                table: "secrets");

            migrationBuilder.DropColumn(
                name: "used_by",
                table: "secrets");

            migrationBuilder.DropColumn(
                name: "used_in",
                table: "secrets");
        }
    }
}
