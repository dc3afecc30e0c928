using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class PolicyConditions : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "condition",
                table: "policies",
                type: "text",
                nullable: true);

            migrationBuilder.AddColumn<string[]>(
                name: "hidden_fields",
                table: "policies",
                type: "text[]",
                nullable: false,
                defaultValue: new string[0]);

            migrationBuilder.AddColumn<string>(
                name: "write_condition",
                table: "policies",
                type: "text",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "condition",
                table: "policies");

            migrationBuilder.DropColumn(
                name: "hidden_fields",
                table: "policies");

            migrationBuilder.DropColumn(
                name: "write_condition",
                table: "policies");
        }
    }
}
