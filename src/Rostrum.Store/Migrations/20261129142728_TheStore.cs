using System;
using Microsoft.EntityFrameworkCore.Migrations;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Rostrum.Store.Migrations
{
    /// <inheritdoc />
    public partial class TheStore : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "api_tokens",
                columns: table => new
                {
                    key = table.Column<string>(type: "text", nullable: false),
                    protected_token = table.Column<string>(type: "text", nullable: false),
                    expires = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_api_tokens", x => x.key);
                });

            migrationBuilder.CreateTable(
                name: "apps",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    address = table.Column<string>(type: "text", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    head = table.Column<string>(type: "jsonb", nullable: false),
                    revision = table.Column<int>(type: "integer", nullable: false),
                    live_version = table.Column<int>(type: "integer", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_apps", x => x.id);
                });

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
                name: "data_protection_keys",
                columns: table => new
                {
                    id = table.Column<int>(type: "integer", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    friendly_name = table.Column<string>(type: "text", nullable: true),
                    xml = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_data_protection_keys", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "files",
                columns: table => new
                {
                    hash = table.Column<string>(type: "text", nullable: false),
                    size = table.Column<long>(type: "bigint", nullable: false),
                    type = table.Column<string>(type: "text", nullable: false),
                    small = table.Column<byte[]>(type: "bytea", nullable: true),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_files", x => x.hash);
                });

            migrationBuilder.CreateTable(
                name: "groups",
                columns: table => new
                {
                    name = table.Column<string>(type: "text", nullable: false),
                    label = table.Column<string>(type: "text", nullable: false),
                    roles = table.Column<string[]>(type: "text[]", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_groups", x => x.name);
                });

            migrationBuilder.CreateTable(
                name: "import_mappings",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    headings = table.Column<string[]>(type: "text[]", nullable: false),
                    plan = table.Column<string>(type: "jsonb", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_import_mappings", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "invitations",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    email = table.Column<string>(type: "text", nullable: false),
                    name = table.Column<string>(type: "text", nullable: true),
                    roles = table.Column<string[]>(type: "text[]", nullable: false),
                    groups = table.Column<string[]>(type: "text[]", nullable: false),
                    digest = table.Column<byte[]>(type: "bytea", nullable: false),
                    made_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    made_by = table.Column<Guid>(type: "uuid", nullable: false),
                    ends = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    accepted_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    revision = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_invitations", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "outgoing_mails",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    address = table.Column<string>(type: "text", nullable: false),
                    subject = table.Column<string>(type: "text", nullable: false),
                    text = table.Column<string>(type: "text", nullable: false),
                    attachments = table.Column<string>(type: "jsonb", nullable: false, defaultValueSql: "'[]'"),
                    unsubscribe = table.Column<string>(type: "text", nullable: true),
                    made_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    due = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    tries = table.Column<int>(type: "integer", nullable: false),
                    sent_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    problem = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_outgoing_mails", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "people",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    attributes = table.Column<string>(type: "jsonb", nullable: false, defaultValueSql: "'{}'"),
                    watch_mail = table.Column<string>(type: "text", nullable: false, defaultValue: "Daily"),
                    digest_on = table.Column<DateOnly>(type: "date", nullable: true),
                    works_as = table.Column<string>(type: "text", nullable: true),
                    zone = table.Column<string>(type: "text", nullable: true),
                    deactivated_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    user_name = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    normalized_user_name = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    email = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    normalized_email = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    email_confirmed = table.Column<bool>(type: "boolean", nullable: false),
                    password_hash = table.Column<string>(type: "text", nullable: true),
                    security_stamp = table.Column<string>(type: "text", nullable: true),
                    concurrency_stamp = table.Column<string>(type: "text", nullable: true),
                    phone_number = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    phone_number_confirmed = table.Column<bool>(type: "boolean", nullable: false),
                    two_factor_enabled = table.Column<bool>(type: "boolean", nullable: false),
                    lockout_end = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    lockout_enabled = table.Column<bool>(type: "boolean", nullable: false),
                    access_failed_count = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_people", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "person_attributes",
                columns: table => new
                {
                    name = table.Column<string>(type: "text", nullable: false),
                    label = table.Column<string>(type: "text", nullable: false),
                    type = table.Column<string>(type: "jsonb", nullable: false),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: true),
                    set_by_self = table.Column<bool>(type: "boolean", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_person_attributes", x => x.name);
                });

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

            migrationBuilder.CreateTable(
                name: "record_events",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    key = table.Column<string>(type: "text", nullable: false),
                    title = table.Column<string>(type: "text", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    changes = table.Column<string>(type: "text", nullable: false),
                    by_id = table.Column<Guid>(type: "uuid", nullable: true),
                    by_name = table.Column<string>(type: "text", nullable: false),
                    is_note = table.Column<bool>(type: "boolean", nullable: false),
                    told = table.Column<Guid[]>(type: "uuid[]", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_record_events", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "record_notes",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    key = table.Column<string>(type: "text", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    text = table.Column<string>(type: "text", nullable: false),
                    files = table.Column<string>(type: "jsonb", nullable: false),
                    mentions = table.Column<string[]>(type: "text[]", nullable: false),
                    reply_to = table.Column<long>(type: "bigint", nullable: true),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    edited_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    deleted_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_record_notes", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "roles",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    label = table.Column<string>(type: "text", nullable: false),
                    needs_second_factor = table.Column<bool>(type: "boolean", nullable: false),
                    can_be_chosen = table.Column<bool>(type: "boolean", nullable: false),
                    permissions = table.Column<int>(type: "integer", nullable: false),
                    builds_only = table.Column<Guid[]>(type: "uuid[]", nullable: false),
                    name = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    normalized_name = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    concurrency_stamp = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_roles", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "saved_records",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    transaction = table.Column<string>(type: "text", nullable: false),
                    changes = table.Column<string>(type: "text", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    person_name = table.Column<string>(type: "text", nullable: false),
                    via = table.Column<string>(type: "text", nullable: false),
                    occasion = table.Column<string>(type: "text", nullable: true),
                    depth = table.Column<int>(type: "integer", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    is_saved = table.Column<bool>(type: "boolean", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_saved_records", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "secrets",
                columns: table => new
                {
                    name = table.Column<string>(type: "text", nullable: false),
                    protected_value = table.Column<string>(type: "text", nullable: false),
                    note = table.Column<string>(type: "text", nullable: false),
                    changed_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    changed_by = table.Column<string>(type: "text", nullable: false),
                    used_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    used_by = table.Column<string>(type: "text", nullable: false),
                    used_in = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_secrets", x => x.name);
                });

            migrationBuilder.CreateTable(
                name: "sent_forms",
                columns: table => new
                {
                    key = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    transaction = table.Column<string>(type: "text", nullable: false),
                    record = table.Column<string>(type: "text", nullable: false),
                    title = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_sent_forms", x => x.key);
                });

            migrationBuilder.CreateTable(
                name: "sign_in_attempts",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    user_name = table.Column<string>(type: "text", nullable: false),
                    outcome = table.Column<string>(type: "text", nullable: false),
                    remote_address = table.Column<string>(type: "text", nullable: true),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_sign_in_attempts", x => x.id);
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

            migrationBuilder.CreateTable(
                name: "sources",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false, defaultValue: "postgres"),
                    host = table.Column<string>(type: "text", nullable: false),
                    port = table.Column<int>(type: "integer", nullable: false),
                    database = table.Column<string>(type: "text", nullable: false),
                    user_name = table.Column<string>(type: "text", nullable: false),
                    protected_password = table.Column<string>(type: "text", nullable: false),
                    encrypted = table.Column<bool>(type: "boolean", nullable: false),
                    options = table.Column<string>(type: "jsonb", nullable: false, defaultValueSql: "'{}'"),
                    requests = table.Column<string>(type: "jsonb", nullable: false, defaultValueSql: "'[]'"),
                    structure = table.Column<string>(type: "jsonb", nullable: false),
                    read_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    failed_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    failure = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_sources", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "undos",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    inverse = table.Column<string>(type: "text", nullable: false),
                    said = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    used_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_undos", x => x.id);
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
                name: "workspace_settings",
                columns: table => new
                {
                    id = table.Column<int>(type: "integer", nullable: false),
                    log_kept_months = table.Column<int>(type: "integer", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_workspace_settings", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "app_edits",
                columns: table => new
                {
                    app_id = table.Column<Guid>(type: "uuid", nullable: false),
                    revision = table.Column<int>(type: "integer", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_name = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    edit = table.Column<string>(type: "jsonb", nullable: true),
                    inverse = table.Column<string>(type: "jsonb", nullable: true),
                    said = table.Column<string>(type: "text", nullable: false),
                    undone = table.Column<bool>(type: "boolean", nullable: false),
                    is_undo = table.Column<bool>(type: "boolean", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_app_edits", x => new { x.app_id, x.revision });
                    table.ForeignKey(
                        name: "fk_app_edits_apps_app_id",
                        column: x => x.app_id,
                        principalTable: "apps",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "app_versions",
                columns: table => new
                {
                    app_id = table.Column<Guid>(type: "uuid", nullable: false),
                    number = table.Column<int>(type: "integer", nullable: false),
                    note = table.Column<string>(type: "text", nullable: false),
                    frozen = table.Column<string>(type: "jsonb", nullable: false),
                    draft_revision = table.Column<int>(type: "integer", nullable: false),
                    published_by = table.Column<string>(type: "text", nullable: false),
                    published_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_app_versions", x => new { x.app_id, x.number });
                    table.ForeignKey(
                        name: "fk_app_versions_apps_app_id",
                        column: x => x.app_id,
                        principalTable: "apps",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "draft_pages",
                columns: table => new
                {
                    app_id = table.Column<Guid>(type: "uuid", nullable: false),
                    address = table.Column<string>(type: "text", nullable: false),
                    document = table.Column<string>(type: "jsonb", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_draft_pages", x => new { x.app_id, x.address });
                    table.ForeignKey(
                        name: "fk_draft_pages_apps_app_id",
                        column: x => x.app_id,
                        principalTable: "apps",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "file_pieces",
                columns: table => new
                {
                    hash = table.Column<string>(type: "text", nullable: false),
                    number = table.Column<int>(type: "integer", nullable: false),
                    bytes = table.Column<byte[]>(type: "bytea", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_file_pieces", x => new { x.hash, x.number });
                    table.ForeignKey(
                        name: "fk_file_pieces_files_hash",
                        column: x => x.hash,
                        principalTable: "files",
                        principalColumn: "hash",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "app_openings",
                columns: table => new
                {
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    app = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_app_openings", x => new { x.person_id, x.app });
                    table.ForeignKey(
                        name: "fk_app_openings_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "bulk_changes",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    request = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    via = table.Column<string>(type: "text", nullable: false),
                    app = table.Column<string>(type: "text", nullable: true),
                    work = table.Column<string>(type: "text", nullable: false),
                    values = table.Column<string>(type: "jsonb", nullable: false),
                    undoes = table.Column<long>(type: "bigint", nullable: true),
                    records = table.Column<int>(type: "integer", nullable: false),
                    is_tried = table.Column<bool>(type: "boolean", nullable: false),
                    done = table.Column<int>(type: "integer", nullable: false),
                    added = table.Column<int>(type: "integer", nullable: false),
                    refused = table.Column<int>(type: "integer", nullable: false),
                    status = table.Column<string>(type: "text", nullable: false),
                    stops = table.Column<bool>(type: "boolean", nullable: false),
                    problem = table.Column<string>(type: "text", nullable: true),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    ended_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_bulk_changes", x => x.id);
                    table.ForeignKey(
                        name: "fk_bulk_changes_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "calendar_feeds",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    app = table.Column<string>(type: "text", nullable: false),
                    page = table.Column<string>(type: "text", nullable: false),
                    panel = table.Column<string>(type: "text", nullable: false),
                    state = table.Column<string>(type: "text", nullable: false),
                    digest = table.Column<byte[]>(type: "bytea", nullable: false),
                    made_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    read_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_calendar_feeds", x => x.id);
                    table.ForeignKey(
                        name: "fk_calendar_feeds_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "group_members",
                columns: table => new
                {
                    group_name = table.Column<string>(type: "text", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_group_members", x => new { x.group_name, x.person_id });
                    table.ForeignKey(
                        name: "fk_group_members_groups_group_name",
                        column: x => x.group_name,
                        principalTable: "groups",
                        principalColumn: "name",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "fk_group_members_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "imports",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    app = table.Column<string>(type: "text", nullable: false),
                    is_live = table.Column<bool>(type: "boolean", nullable: false),
                    from = table.Column<string>(type: "text", nullable: false),
                    via = table.Column<string>(type: "text", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    plan = table.Column<string>(type: "jsonb", nullable: false),
                    check_id = table.Column<long>(type: "bigint", nullable: true),
                    bulk_id = table.Column<long>(type: "bigint", nullable: true),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_imports", x => x.id);
                    table.ForeignKey(
                        name: "fk_imports_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "inbox_items",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    watch_id = table.Column<Guid>(type: "uuid", nullable: false),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    key = table.Column<string>(type: "text", nullable: false),
                    title = table.Column<string>(type: "text", nullable: false),
                    text = table.Column<string>(type: "text", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    address = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    read_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    mailed_at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_inbox_items", x => x.id);
                    table.ForeignKey(
                        name: "fk_inbox_items_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "people_claims",
                columns: table => new
                {
                    id = table.Column<int>(type: "integer", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    user_id = table.Column<Guid>(type: "uuid", nullable: false),
                    claim_type = table.Column<string>(type: "text", nullable: true),
                    claim_value = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_people_claims", x => x.id);
                    table.ForeignKey(
                        name: "fk_people_claims_people_user_id",
                        column: x => x.user_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "people_logins",
                columns: table => new
                {
                    login_provider = table.Column<string>(type: "character varying(128)", maxLength: 128, nullable: false),
                    provider_key = table.Column<string>(type: "character varying(128)", maxLength: 128, nullable: false),
                    provider_display_name = table.Column<string>(type: "text", nullable: true),
                    user_id = table.Column<Guid>(type: "uuid", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_people_logins", x => new { x.login_provider, x.provider_key });
                    table.ForeignKey(
                        name: "fk_people_logins_people_user_id",
                        column: x => x.user_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "people_passkeys",
                columns: table => new
                {
                    credential_id = table.Column<byte[]>(type: "bytea", maxLength: 1024, nullable: false),
                    user_id = table.Column<Guid>(type: "uuid", nullable: false),
                    data = table.Column<string>(type: "jsonb", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_people_passkeys", x => x.credential_id);
                    table.ForeignKey(
                        name: "fk_people_passkeys_people_user_id",
                        column: x => x.user_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "people_tokens",
                columns: table => new
                {
                    user_id = table.Column<Guid>(type: "uuid", nullable: false),
                    login_provider = table.Column<string>(type: "character varying(128)", maxLength: 128, nullable: false),
                    name = table.Column<string>(type: "character varying(128)", maxLength: 128, nullable: false),
                    value = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_people_tokens", x => new { x.user_id, x.login_provider, x.name });
                    table.ForeignKey(
                        name: "fk_people_tokens_people_user_id",
                        column: x => x.user_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "personal_tables",
                columns: table => new
                {
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    app = table.Column<string>(type: "text", nullable: false),
                    page = table.Column<string>(type: "text", nullable: false),
                    panel = table.Column<string>(type: "text", nullable: false),
                    view = table.Column<string>(type: "jsonb", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_personal_tables", x => new { x.person_id, x.app, x.page, x.panel });
                    table.ForeignKey(
                        name: "fk_personal_tables_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "sign_in_sessions",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    started = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    ends = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false),
                    device = table.Column<string>(type: "text", nullable: false),
                    remote_address = table.Column<string>(type: "text", nullable: true),
                    last_used = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
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

            migrationBuilder.CreateTable(
                name: "unsaved_changes",
                columns: table => new
                {
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    app = table.Column<string>(type: "text", nullable: false),
                    page = table.Column<string>(type: "text", nullable: false),
                    panel = table.Column<string>(type: "text", nullable: false),
                    changes = table.Column<string>(type: "jsonb", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_unsaved_changes", x => new { x.person_id, x.app, x.page, x.panel });
                    table.ForeignKey(
                        name: "fk_unsaved_changes_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "unsaved_forms",
                columns: table => new
                {
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    form = table.Column<string>(type: "text", nullable: false),
                    values = table.Column<string>(type: "jsonb", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_unsaved_forms", x => new { x.person_id, x.form });
                    table.ForeignKey(
                        name: "fk_unsaved_forms_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "watches",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    key = table.Column<string>(type: "text", nullable: true),
                    app = table.Column<string>(type: "text", nullable: true),
                    page = table.Column<string>(type: "text", nullable: true),
                    panel = table.Column<string>(type: "text", nullable: true),
                    state = table.Column<string>(type: "text", nullable: true),
                    label = table.Column<string>(type: "text", nullable: false),
                    address = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_watches", x => x.id);
                    table.ForeignKey(
                        name: "fk_watches_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "note_versions",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    note_id = table.Column<long>(type: "bigint", nullable: false),
                    text = table.Column<string>(type: "text", nullable: false),
                    until = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_note_versions", x => x.id);
                    table.ForeignKey(
                        name: "fk_note_versions_record_notes_note_id",
                        column: x => x.note_id,
                        principalTable: "record_notes",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "people_roles",
                columns: table => new
                {
                    user_id = table.Column<Guid>(type: "uuid", nullable: false),
                    role_id = table.Column<Guid>(type: "uuid", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_people_roles", x => new { x.user_id, x.role_id });
                    table.ForeignKey(
                        name: "fk_people_roles_people_user_id",
                        column: x => x.user_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "fk_people_roles_roles_role_id",
                        column: x => x.role_id,
                        principalTable: "roles",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "roles_claims",
                columns: table => new
                {
                    id = table.Column<int>(type: "integer", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    role_id = table.Column<Guid>(type: "uuid", nullable: false),
                    claim_type = table.Column<string>(type: "text", nullable: true),
                    claim_value = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_roles_claims", x => x.id);
                    table.ForeignKey(
                        name: "fk_roles_claims_roles_role_id",
                        column: x => x.role_id,
                        principalTable: "roles",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "datasets",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    source_id = table.Column<Guid>(type: "uuid", nullable: false),
                    definition = table.Column<string>(type: "jsonb", nullable: false),
                    revision = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_datasets", x => x.id);
                    table.ForeignKey(
                        name: "fk_datasets_sources_source_id",
                        column: x => x.source_id,
                        principalTable: "sources",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
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
                    is_step_by_step = table.Column<bool>(type: "boolean", nullable: false),
                    carries_next_out = table.Column<bool>(type: "boolean", nullable: false),
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
                name: "bulk_parts",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    bulk_id = table.Column<long>(type: "bigint", nullable: false),
                    number = table.Column<int>(type: "integer", nullable: false),
                    records = table.Column<string>(type: "jsonb", nullable: false),
                    undoes = table.Column<long>(type: "bigint", nullable: true),
                    saved = table.Column<long>(type: "bigint", nullable: true),
                    transaction = table.Column<string>(type: "text", nullable: false),
                    done = table.Column<int>(type: "integer", nullable: false),
                    added = table.Column<int>(type: "integer", nullable: false),
                    refused = table.Column<string>(type: "jsonb", nullable: false),
                    is_over = table.Column<bool>(type: "boolean", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_bulk_parts", x => x.id);
                    table.ForeignKey(
                        name: "fk_bulk_parts_bulk_changes_bulk_id",
                        column: x => x.bulk_id,
                        principalTable: "bulk_changes",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "import_pieces",
                columns: table => new
                {
                    import_id = table.Column<long>(type: "bigint", nullable: false),
                    number = table.Column<int>(type: "integer", nullable: false),
                    bytes = table.Column<byte[]>(type: "bytea", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_import_pieces", x => new { x.import_id, x.number });
                    table.ForeignKey(
                        name: "fk_import_pieces_imports_import_id",
                        column: x => x.import_id,
                        principalTable: "imports",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "policies",
                columns: table => new
                {
                    role = table.Column<string>(type: "text", nullable: false),
                    dataset_id = table.Column<Guid>(type: "uuid", nullable: false),
                    verbs = table.Column<int>(type: "integer", nullable: false),
                    condition = table.Column<string>(type: "text", nullable: true),
                    create_condition = table.Column<string>(type: "text", nullable: true),
                    update_condition = table.Column<string>(type: "text", nullable: true),
                    delete_condition = table.Column<string>(type: "text", nullable: true),
                    download_condition = table.Column<string>(type: "text", nullable: true),
                    run_condition = table.Column<string>(type: "text", nullable: true),
                    hidden_fields = table.Column<string[]>(type: "text[]", nullable: false),
                    read_only_fields = table.Column<string[]>(type: "text[]", nullable: false),
                    new_only_fields = table.Column<string[]>(type: "text[]", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_policies", x => new { x.role, x.dataset_id });
                    table.ForeignKey(
                        name: "fk_policies_datasets_dataset_id",
                        column: x => x.dataset_id,
                        principalTable: "datasets",
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
                    fields = table.Column<string>(type: "jsonb", nullable: false, defaultValueSql: "'[]'"),
                    values = table.Column<string>(type: "text", nullable: true),
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
                name: "ix_app_edits_app_id_person_id_revision",
                table: "app_edits",
                columns: new[] { "app_id", "person_id", "revision" });

            migrationBuilder.CreateIndex(
                name: "ix_apps_address",
                table: "apps",
                column: "address",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_audit_entries_at",
                table: "audit_entries",
                column: "at");

            migrationBuilder.CreateIndex(
                name: "ix_bulk_changes_person_id",
                table: "bulk_changes",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_bulk_changes_request",
                table: "bulk_changes",
                column: "request",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_bulk_changes_running",
                table: "bulk_changes",
                column: "id",
                filter: "status = 'Running'");

            migrationBuilder.CreateIndex(
                name: "ix_bulk_parts_bulk_id_number",
                table: "bulk_parts",
                columns: new[] { "bulk_id", "number" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_calendar_feeds_digest",
                table: "calendar_feeds",
                column: "digest",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_calendar_feeds_person_id",
                table: "calendar_feeds",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_datasets_source_id",
                table: "datasets",
                column: "source_id");

            migrationBuilder.CreateIndex(
                name: "ix_group_members_person_id",
                table: "group_members",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_import_mappings_dataset_id_name",
                table: "import_mappings",
                columns: new[] { "dataset_id", "name" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_imports_person_id_at",
                table: "imports",
                columns: new[] { "person_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_inbox_items_person_id",
                table: "inbox_items",
                column: "person_id",
                filter: "read_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_inbox_items_person_id_id",
                table: "inbox_items",
                columns: new[] { "person_id", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_invitations_digest",
                table: "invitations",
                column: "digest",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_note_versions_note_id",
                table: "note_versions",
                column: "note_id");

            migrationBuilder.CreateIndex(
                name: "ix_outgoing_mails_due",
                table: "outgoing_mails",
                column: "due",
                filter: "sent_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "EmailIndex",
                table: "people",
                column: "normalized_email");

            migrationBuilder.CreateIndex(
                name: "UserNameIndex",
                table: "people",
                column: "normalized_user_name",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_people_claims_user_id",
                table: "people_claims",
                column: "user_id");

            migrationBuilder.CreateIndex(
                name: "ix_people_logins_user_id",
                table: "people_logins",
                column: "user_id");

            migrationBuilder.CreateIndex(
                name: "ix_people_passkeys_user_id",
                table: "people_passkeys",
                column: "user_id");

            migrationBuilder.CreateIndex(
                name: "ix_people_roles_role_id",
                table: "people_roles",
                column: "role_id");

            migrationBuilder.CreateIndex(
                name: "ix_policies_dataset_id",
                table: "policies",
                column: "dataset_id");

            migrationBuilder.CreateIndex(
                name: "ix_public_links_digest",
                table: "public_links",
                column: "digest",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_record_notes_dataset_id_key_at",
                table: "record_notes",
                columns: new[] { "dataset_id", "key", "at" });

            migrationBuilder.CreateIndex(
                name: "RoleNameIndex",
                table: "roles",
                column: "normalized_name",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_roles_claims_role_id",
                table: "roles_claims",
                column: "role_id");

            migrationBuilder.CreateIndex(
                name: "ix_sent_forms_at",
                table: "sent_forms",
                column: "at");

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
                name: "ix_sources_name",
                table: "sources",
                column: "name",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_undos_at",
                table: "undos",
                column: "at");

            migrationBuilder.CreateIndex(
                name: "ix_watches_dataset_id_key",
                table: "watches",
                columns: new[] { "dataset_id", "key" });

            migrationBuilder.CreateIndex(
                name: "ix_watches_person_id",
                table: "watches",
                column: "person_id");

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

            migrationBuilder.Sql(
                """
                CREATE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS
                $$ BEGIN RAISE EXCEPTION 'a published version is never changed'; END $$;
                CREATE TRIGGER app_versions_are_immutable BEFORE UPDATE OR DELETE ON app_versions
                    FOR EACH ROW EXECUTE FUNCTION refuse_change();
                """);

            // The logbook: one table a month, to which entries are only ever added.
            migrationBuilder.Sql(
                """
                CREATE TABLE log_entries (
                    id bigint NOT NULL,
                    at timestamptz NOT NULL,
                    dataset_id uuid NOT NULL,
                    key text NOT NULL,
                    title text NOT NULL,
                    kind text NOT NULL,
                    fields text NOT NULL,
                    inverse text,
                    person_id uuid,
                    person_name text NOT NULL,
                    via text NOT NULL,
                    batch bigint NOT NULL,
                    occasion text,
                    before bytea NOT NULL,
                    digest bytea NOT NULL,
                    PRIMARY KEY (id, at)
                ) PARTITION BY RANGE (at);
                CREATE INDEX ix_log_entries_record ON log_entries (dataset_id, key, id);
                CREATE INDEX ix_log_entries_batch ON log_entries (batch);
                CREATE INDEX ix_log_entries_occasion ON log_entries (occasion);
                CREATE FUNCTION add_log_month(month date) RETURNS void LANGUAGE plpgsql AS
                $$ BEGIN
                    EXECUTE format('CREATE TABLE IF NOT EXISTS %I PARTITION OF log_entries FOR VALUES FROM (%L) TO (%L)',
                        'log_entries_' || to_char(month, 'YYYY_MM'), month || ' 00:00:00+00', (month + interval '1 month')::date || ' 00:00:00+00');
                END $$;
                CREATE FUNCTION drop_log_months(before date) RETURNS integer LANGUAGE plpgsql AS
                $$ DECLARE month text; dropped integer := 0; BEGIN
                    FOR month IN SELECT c.relname FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
                        WHERE i.inhparent = 'log_entries'::regclass AND c.relname < 'log_entries_' || to_char(before, 'YYYY_MM')
                    LOOP
                        EXECUTE format('DROP TABLE %I', month);
                        dropped := dropped + 1;
                    END LOOP;
                    RETURN dropped;
                END $$;
                CREATE FUNCTION refuse_to_alter_log() RETURNS trigger LANGUAGE plpgsql AS
                $$ BEGIN RAISE EXCEPTION 'entries of the logbook are only ever added'; END $$;
                CREATE TRIGGER log_entries_are_only_added BEFORE UPDATE OR DELETE ON log_entries
                    FOR EACH ROW EXECUTE FUNCTION refuse_to_alter_log();
                REVOKE UPDATE, DELETE, TRUNCATE ON log_entries FROM CURRENT_USER;
                """);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "api_tokens");

            migrationBuilder.DropTable(
                name: "app_edits");

            migrationBuilder.DropTable(
                name: "app_openings");

            migrationBuilder.DropTable(
                name: "app_versions");

            migrationBuilder.DropTable(
                name: "audit_entries");

            migrationBuilder.DropTable(
                name: "bulk_parts");

            migrationBuilder.DropTable(
                name: "calendar_feeds");

            migrationBuilder.DropTable(
                name: "data_protection_keys");

            migrationBuilder.DropTable(
                name: "draft_pages");

            migrationBuilder.DropTable(
                name: "file_pieces");

            migrationBuilder.DropTable(
                name: "group_members");

            migrationBuilder.DropTable(
                name: "import_mappings");

            migrationBuilder.DropTable(
                name: "import_pieces");

            migrationBuilder.DropTable(
                name: "inbox_items");

            migrationBuilder.DropTable(
                name: "invitations");

            migrationBuilder.DropTable(
                name: "note_versions");

            migrationBuilder.DropTable(
                name: "outgoing_mails");

            migrationBuilder.DropTable(
                name: "people_claims");

            migrationBuilder.DropTable(
                name: "people_logins");

            migrationBuilder.DropTable(
                name: "people_passkeys");

            migrationBuilder.DropTable(
                name: "people_roles");

            migrationBuilder.DropTable(
                name: "people_tokens");

            migrationBuilder.DropTable(
                name: "person_attributes");

            migrationBuilder.DropTable(
                name: "personal_tables");

            migrationBuilder.DropTable(
                name: "policies");

            migrationBuilder.DropTable(
                name: "public_links");

            migrationBuilder.DropTable(
                name: "record_events");

            migrationBuilder.DropTable(
                name: "roles_claims");

            migrationBuilder.DropTable(
                name: "saved_records");

            migrationBuilder.DropTable(
                name: "secrets");

            migrationBuilder.DropTable(
                name: "sent_forms");

            migrationBuilder.DropTable(
                name: "sign_in_attempts");

            migrationBuilder.DropTable(
                name: "sign_in_providers");

            migrationBuilder.DropTable(
                name: "sign_in_sessions");

            migrationBuilder.DropTable(
                name: "sign_offs");

            migrationBuilder.DropTable(
                name: "undos");

            migrationBuilder.DropTable(
                name: "unsaved_changes");

            migrationBuilder.DropTable(
                name: "unsaved_forms");

            migrationBuilder.DropTable(
                name: "watches");

            migrationBuilder.DropTable(
                name: "workflow_edits");

            migrationBuilder.DropTable(
                name: "workflow_run_lists");

            migrationBuilder.DropTable(
                name: "workflow_run_steps");

            migrationBuilder.DropTable(
                name: "workflow_versions");

            migrationBuilder.DropTable(
                name: "workspace_settings");

            migrationBuilder.DropTable(
                name: "bulk_changes");

            migrationBuilder.DropTable(
                name: "apps");

            migrationBuilder.DropTable(
                name: "files");

            migrationBuilder.DropTable(
                name: "groups");

            migrationBuilder.DropTable(
                name: "imports");

            migrationBuilder.DropTable(
                name: "record_notes");

            migrationBuilder.DropTable(
                name: "datasets");

            migrationBuilder.DropTable(
                name: "roles");

            migrationBuilder.DropTable(
                name: "workflow_runs");

            migrationBuilder.DropTable(
                name: "people");

            migrationBuilder.DropTable(
                name: "sources");

            migrationBuilder.DropTable(
                name: "workflows");
        }
    }
}
