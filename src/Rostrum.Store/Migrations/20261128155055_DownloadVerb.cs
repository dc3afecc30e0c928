using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class DownloadVerb : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "unsubscribe",
                table: "outgoing_mails",
                type: "text",
                nullable: true);

            // Whoever could see records could download them: they still can.
            migrationBuilder.Sql("UPDATE policies SET verbs = verbs | 16 WHERE verbs & 1 = 1");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.Sql("UPDATE policies SET verbs = verbs & ~16");

            migrationBuilder.DropColumn(
                name: "unsubscribe",
                table: "outgoing_mails");
        }
    }
}
