using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class Sessions : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "sign_in_sessions",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    started = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    ends = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_sign_in_sessions", x => x.id);
                    table.ForeignKey(
                        name: "fk_sign_in_sessions_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "ix_sign_in_attempts_at",
                table: "sign_in_attempts",
                column: "at");

            migrationBuilder.CreateIndex(
                name: "ix_sign_in_attempts_remote_address_at",
                table: "sign_in_attempts",
                columns: new[] { "remote_address", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_sign_in_attempts_user_name_at",
                table: "sign_in_attempts",
                columns: new[] { "user_name", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_sign_in_sessions_ends",
                table: "sign_in_sessions",
                column: "ends");

            migrationBuilder.CreateIndex(
                name: "ix_sign_in_sessions_person_id",
                table: "sign_in_sessions",
                column: "person_id");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "sign_in_sessions");

            migrationBuilder.DropIndex(
                name: "ix_sign_in_attempts_at",
                table: "sign_in_attempts");

            migrationBuilder.DropIndex(
                name: "ix_sign_in_attempts_remote_address_at",
                table: "sign_in_attempts");

            migrationBuilder.DropIndex(
                name: "ix_sign_in_attempts_user_name_at",
                table: "sign_in_attempts");
        }
    }
}
