using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class RolePermissions : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<int>(
                name: "permissions",
                table: "roles",
                type: "integer",
                nullable: false,
                defaultValue: 0);

            // What Rostrum's own roles could do before: builders everything but people, owners everything.
            migrationBuilder.Sql("UPDATE roles SET permissions = CASE name WHEN 'owner' THEN 31 WHEN 'builder' THEN 15 ELSE 0 END");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "permissions",
                table: "roles");
        }
    }
}
