using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.DataProtection.EntityFrameworkCore;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Identity.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.ChangeTracking;
using Microsoft.EntityFrameworkCore.Metadata.Builders;
using Rostrum.Core;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;

namespace Rostrum.Store;

/// <summary>Rostrum's own records.</summary>
public sealed class RostrumStore(DbContextOptions<RostrumStore> options)
    : IdentityDbContext<Person, Role, Guid>(options),
        IDataProtectionKeyContext
{
    private const int MostTries = 20;

    public DbSet<StoredSource> Sources => Set<StoredSource>();
    public DbSet<StoredSecret> Secrets => Set<StoredSecret>();
    public DbSet<StoredApiToken> ApiTokens => Set<StoredApiToken>();

    public DbSet<StoredDataset> Datasets => Set<StoredDataset>();

    public DbSet<StoredApp> Apps => Set<StoredApp>();

    public DbSet<StoredDraftPage> DraftPages => Set<StoredDraftPage>();

    public DbSet<StoredVersion> Versions => Set<StoredVersion>();

    public DbSet<StoredEdit> Edits => Set<StoredEdit>();

    public DbSet<StoredPolicy> Policies => Set<StoredPolicy>();

    public DbSet<StoredAttribute> Attributes => Set<StoredAttribute>();

    public DbSet<Group> Groups => Set<Group>();
    public DbSet<GroupMember> GroupMembers => Set<GroupMember>();
    public DbSet<Invitation> Invitations => Set<Invitation>();
    public DbSet<OutgoingMail> OutgoingMails => Set<OutgoingMail>();
    public DbSet<SignInProvider> SignInProviders => Set<SignInProvider>();
    public DbSet<Watch> Watches => Set<Watch>();
    public DbSet<RecordEvent> RecordEvents => Set<RecordEvent>();
    public DbSet<InboxItem> InboxItems => Set<InboxItem>();
    public DbSet<PublicLink> PublicLinks => Set<PublicLink>();
    public DbSet<CalendarFeed> CalendarFeeds => Set<CalendarFeed>();
    public DbSet<AuditEntry> AuditEntries => Set<AuditEntry>();

    public DbSet<SignInAttempt> SignInAttempts => Set<SignInAttempt>();
    public DbSet<SignInSession> SignInSessions => Set<SignInSession>();

    public DbSet<StoredWorkflow> Workflows => Set<StoredWorkflow>();
    public DbSet<StoredWorkflowVersion> WorkflowVersions => Set<StoredWorkflowVersion>();
    public DbSet<StoredWorkflowEdit> WorkflowEdits => Set<StoredWorkflowEdit>();
    public DbSet<WorkflowRun> WorkflowRuns => Set<WorkflowRun>();
    public DbSet<WorkflowRunStep> WorkflowRunSteps => Set<WorkflowRunStep>();
    public DbSet<WorkflowRunList> WorkflowRunLists => Set<WorkflowRunList>();
    public DbSet<SignOffRequest> SignOffs => Set<SignOffRequest>();
    public DbSet<SavedRecords> SavedRecords => Set<SavedRecords>();

    public DbSet<WorkspaceSettings> Settings => Set<WorkspaceSettings>();

    public DbSet<BulkChange> BulkChanges => Set<BulkChange>();

    public DbSet<BulkPart> BulkParts => Set<BulkPart>();

    public DbSet<Import> Imports => Set<Import>();

    public DbSet<RecordNote> RecordNotes => Set<RecordNote>();

    public DbSet<NoteVersion> NoteVersions => Set<NoteVersion>();

    public DbSet<StoredAlteration> Alterations => Set<StoredAlteration>();

    public DbSet<StoredFile> Files => Set<StoredFile>();

    public DbSet<FilePiece> FilePieces => Set<FilePiece>();

    public DbSet<ImportMapping> ImportMappings => Set<ImportMapping>();

    public DbSet<ImportPiece> ImportPieces => Set<ImportPiece>();

    public DbSet<LogEntry> LogEntries => Set<LogEntry>();

    public DbSet<UndoEntry> Undos => Set<UndoEntry>();

    public DbSet<SentForm> SentForms => Set<SentForm>();

    public DbSet<StoredPersonalTable> PersonalTables => Set<StoredPersonalTable>();

    public DbSet<StoredUnsaved> UnsavedChanges => Set<StoredUnsaved>();

    public DbSet<UnsavedForm> UnsavedForms => Set<UnsavedForm>();

    public DbSet<AppOpening> Openings => Set<AppOpening>();

    public DbSet<DataProtectionKey> DataProtectionKeys => Set<DataProtectionKey>();

    /// <summary>The workspace's datasets as its builders have them now, of one source or of all.</summary>
    public async Task<DatasetCatalogue> DatasetsAsync(CancellationToken cancellation, Guid? source = null) =>
        new(
            await Datasets
                .AsNoTracking()
                .Where(row => source == null || row.SourceId == source)
                .Select(row => row.Definition)
                .ToListAsync(cancellation)
        );

    /// <summary>The workflow as a run carries it out: the draft that it tries, or else the version that it began with.</summary>
    public async Task<Workflow> WorkflowOfAsync(WorkflowRun run, CancellationToken cancellation) =>
        run.Tried
        ?? await WorkflowVersions
            .AsNoTracking()
            .Where(version => version.WorkflowId == run.WorkflowId && version.Number == run.Version)
            .Select(version => version.Definition)
            .FirstAsync(cancellation);

    /// <summary>The changes being saved concern what nodes keep at hand.</summary>
    internal bool ChangesTheWorkspace { get; set; }

    protected override void OnModelCreating(ModelBuilder builder)
    {
        base.OnModelCreating(builder);
        builder.Entity<Person>(person =>
        {
            person.ToTable("people");
            AsJson(person.Property(row => row.Attributes));
            person.Property(row => row.WatchMail).HasConversion<string>().HasDefaultValue(WatchMail.Daily);
            person.Property(row => row.Attributes).HasDefaultValueSql("'{}'");
        });
        builder.Entity<Group>().ToTable("groups").HasKey(row => row.Name);
        builder.Entity<GroupMember>(member =>
        {
            member.ToTable("group_members").HasKey(row => new { row.GroupName, row.PersonId });
            member.HasOne<Group>().WithMany().HasForeignKey(row => row.GroupName).OnDelete(DeleteBehavior.Cascade);
            member.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        builder.Entity<Invitation>(invitation =>
        {
            invitation.ToTable("invitations").HasIndex(row => row.Digest).IsUnique();
            invitation.Property(row => row.Revision).IsConcurrencyToken();
        });
        builder.Entity<OutgoingMail>(mail =>
        {
            mail.ToTable("outgoing_mails").HasIndex(row => row.Due).HasFilter("sent_at IS NULL");
            AsJsonValue(mail.Property(row => row.Attachments));
            mail.Property(row => row.Attachments).HasDefaultValueSql("'[]'").ValueGeneratedNever();
        });
        builder.Entity<SignInProvider>(provider =>
        {
            provider.ToTable("sign_in_providers").HasKey(row => row.Name);
            AsJson(provider.Property(row => row.Settings));
            AsJsonValue(provider.Property(row => row.Rules));
            provider.Property(row => row.Revision).IsConcurrencyToken();
        });
        builder.Entity<Watch>(watch =>
        {
            watch.ToTable("watches").HasIndex(row => new { row.DatasetId, row.Key });
            watch.HasIndex(row => row.PersonId);
            watch.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        builder.Entity<RecordEvent>().ToTable("record_events");
        builder.Entity<InboxItem>(item =>
        {
            item.ToTable("inbox_items").HasIndex(row => new { row.PersonId, row.Id });
            item.HasIndex(row => row.PersonId, "ix_inbox_items_unread").HasFilter("read_at IS NULL");
            item.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        builder.Entity<PublicLink>().ToTable("public_links").HasIndex(row => row.Digest).IsUnique();
        builder.Entity<CalendarFeed>(feed =>
        {
            feed.ToTable("calendar_feeds").HasIndex(row => row.Digest).IsUnique();
            feed.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        builder.Entity<AuditEntry>(entry =>
        {
            entry.ToTable("audit_entries").HasIndex(row => row.At);
            entry.Property(row => row.Kind).HasConversion<string>();
        });
        builder.Entity<StoredAttribute>(attribute =>
        {
            attribute.ToTable("person_attributes").HasKey(row => row.Name);
            AsJson(attribute.Property(row => row.Type));
        });
        builder.Entity<Role>().ToTable("roles");
        builder.Entity<IdentityUserRole<Guid>>().ToTable("people_roles");
        builder.Entity<IdentityUserClaim<Guid>>().ToTable("people_claims");
        builder.Entity<IdentityUserLogin<Guid>>().ToTable("people_logins");
        builder.Entity<IdentityUserToken<Guid>>().ToTable("people_tokens");
        builder.Entity<IdentityRoleClaim<Guid>>().ToTable("roles_claims");
        builder.Entity<IdentityUserPasskey<Guid>>().ToTable("people_passkeys");

        builder.Entity<StoredSource>(source =>
        {
            source.ToTable("sources").HasIndex(row => row.Name).IsUnique();
            source.Property(row => row.Kind).HasDefaultValue("postgres");
            source.Property(row => row.Options).HasColumnType("jsonb").HasDefaultValueSql("'{}'");
            source.Property(row => row.Requests).HasColumnType("jsonb").HasDefaultValueSql("'[]'");
            AsJson(source.Property(row => row.Structure));
        });
        builder.Entity<StoredSecret>().ToTable("secrets").HasKey(row => row.Name);
        builder.Entity<StoredApiToken>().ToTable("api_tokens").HasKey(row => row.Key);
        builder.Entity<StoredDataset>(dataset =>
        {
            dataset.ToTable("datasets").HasOne<StoredSource>().WithMany().HasForeignKey(row => row.SourceId);
            dataset.Property(row => row.Revision).IsConcurrencyToken();
            AsJson(dataset.Property(row => row.Definition));
        });
        builder.Entity<StoredApp>(app =>
        {
            app.ToTable("apps").HasIndex(row => row.Address).IsUnique();
            app.Property(row => row.Revision).IsConcurrencyToken();
            AsJson(app.Property(row => row.Head));
        });
        builder.Entity<StoredDraftPage>(page =>
        {
            page.ToTable("draft_pages").HasKey(row => new { row.AppId, row.Address });
            page.HasOne<StoredApp>().WithMany().HasForeignKey(row => row.AppId).OnDelete(DeleteBehavior.Cascade);
            AsJson(page.Property(row => row.Document));
        });
        builder.Entity<StoredUnsaved>(unsaved =>
        {
            unsaved
                .ToTable("unsaved_changes")
                .HasKey(row => new
                {
                    row.PersonId,
                    row.App,
                    row.Page,
                    row.Panel,
                });
            unsaved.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
            AsJson(unsaved.Property(row => row.Changes));
        });
        builder.Entity<StoredPersonalTable>(table =>
        {
            table
                .ToTable("personal_tables")
                .HasKey(row => new
                {
                    row.PersonId,
                    row.App,
                    row.Page,
                    row.Panel,
                });
            table.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
            AsJson(table.Property(row => row.View));
        });
        builder.Entity<AppOpening>(opening =>
        {
            opening.ToTable("app_openings").HasKey(row => new { row.PersonId, row.App });
            opening.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        builder.Entity<StoredVersion>(version =>
        {
            version.ToTable("app_versions").HasKey(row => new { row.AppId, row.Number });
            version.HasOne<StoredApp>().WithMany().HasForeignKey(row => row.AppId);
            AsJson(version.Property(row => row.Frozen));
        });
        builder.Entity<StoredEdit>(edit =>
        {
            edit.ToTable("app_edits").HasKey(row => new { row.AppId, row.Revision });
            edit.HasIndex(row => new
            {
                row.AppId,
                row.PersonId,
                row.Revision,
            });
            edit.HasOne<StoredApp>().WithMany().HasForeignKey(row => row.AppId);
            AsJson(edit.Property(row => row.Edit));
            AsJson(edit.Property(row => row.Inverse));
        });
        builder.Entity<StoredPolicy>().ToTable("policies").HasKey(row => new { row.Role, row.DatasetId });
        builder.Entity<StoredPolicy>().HasOne<StoredDataset>().WithMany().HasForeignKey(row => row.DatasetId);
        builder.Entity<SignInAttempt>(attempt =>
        {
            attempt.ToTable("sign_in_attempts").HasIndex(row => new { row.UserName, row.At });
            attempt.HasIndex(row => new { row.RemoteAddress, row.At });
            attempt.HasIndex(row => row.At);
        });
        builder.Entity<SignInSession>(session =>
        {
            session.ToTable("sign_in_sessions").HasIndex(row => row.Ends);
            session.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        builder.Entity<SentForm>().ToTable("sent_forms").HasKey(row => row.Key);
        builder.Entity<SentForm>().HasIndex(row => row.At);
        builder.Entity<UndoEntry>().ToTable("undos").HasIndex(row => row.At);
        OnWorkflows(builder);
    }

    private static void OnWorkflows(ModelBuilder builder)
    {
        builder.Entity<StoredWorkflow>(workflow =>
        {
            workflow.ToTable("workflows").HasIndex(row => row.Name).IsUnique();
            workflow.Property(row => row.Revision).IsConcurrencyToken();
            AsJson(workflow.Property(row => row.Draft));
        });
        builder.Entity<StoredWorkflowVersion>(version =>
        {
            version.ToTable("workflow_versions").HasKey(row => new { row.WorkflowId, row.Number });
            version.HasOne<StoredWorkflow>().WithMany().HasForeignKey(row => row.WorkflowId).OnDelete(DeleteBehavior.Cascade);
            AsJson(version.Property(row => row.Definition));
        });
        builder.Entity<StoredWorkflowEdit>(edit =>
        {
            edit.ToTable("workflow_edits").HasIndex(row => new { row.WorkflowId, row.Id });
            edit.HasOne<StoredWorkflow>().WithMany().HasForeignKey(row => row.WorkflowId).OnDelete(DeleteBehavior.Cascade);
            AsJson(edit.Property(row => row.Before));
            AsJson(edit.Property(row => row.After));
        });
        builder.Entity<WorkflowRun>(run =>
        {
            run.ToTable("workflow_runs").HasIndex(row => new { row.WorkflowId, row.Id });
            run.HasIndex(row => row.Due).HasFilter("status = 'Ready'");
            run.HasIndex(row => new { row.DatasetId, row.RecordKey });
            run.HasIndex(row => new { row.WorkflowId, row.Delivery }).IsUnique().HasFilter("delivery IS NOT NULL");
            run.HasOne<StoredWorkflow>().WithMany().HasForeignKey(row => row.WorkflowId).OnDelete(DeleteBehavior.Cascade);
            run.Property(row => row.Status).HasConversion<string>();
            run.Property(row => row.Input).HasColumnType("jsonb");
            AsJson(run.Property(row => row.Tried));
            AsJson(run.Property(row => row.State));
        });
        builder.Entity<WorkflowRunStep>(step =>
        {
            step.ToTable("workflow_run_steps").HasIndex(row => new { row.RunId, row.Id });
            step.HasOne<WorkflowRun>().WithMany().HasForeignKey(row => row.RunId).OnDelete(DeleteBehavior.Cascade);
            step.Property(row => row.Status).HasConversion<string>();
        });
        builder.Entity<WorkflowRunList>(list =>
        {
            list.ToTable("workflow_run_lists").HasKey(row => new { row.RunId, row.Path });
            list.HasOne<WorkflowRun>().WithMany().HasForeignKey(row => row.RunId).OnDelete(DeleteBehavior.Cascade);
            list.Property(row => row.Items).HasColumnType("jsonb");
        });
        builder.Entity<SignOffRequest>(request =>
        {
            request.ToTable("sign_offs").HasIndex(row => row.RunId);
            request.HasIndex(row => new { row.DatasetId, row.RecordKey });
            request.HasIndex(row => row.AskedAt).HasFilter("answered_at IS NULL AND NOT is_withdrawn");
            request.HasOne<WorkflowRun>().WithMany().HasForeignKey(row => row.RunId).OnDelete(DeleteBehavior.Cascade);
            AsJsonValue(request.Property(row => row.Fields));
            request.Property(row => row.Fields).HasDefaultValueSql("'[]'").ValueGeneratedNever();
        });
        builder.Entity<SavedRecords>().ToTable("saved_records");
        builder.Entity<UnsavedForm>(unsaved =>
        {
            unsaved.ToTable("unsaved_forms").HasKey(row => new { row.PersonId, row.Form });
            unsaved.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
            unsaved.Property(row => row.Values).HasColumnType("jsonb");
        });
        builder.Entity<WorkspaceSettings>().ToTable("workspace_settings").Property(row => row.Id).ValueGeneratedNever();
        builder.Entity<BulkChange>(bulk =>
        {
            bulk.ToTable("bulk_changes").HasIndex(row => row.Id).HasDatabaseName("ix_bulk_changes_running").HasFilter("status = 'Running'");
            bulk.HasIndex(row => row.Request).IsUnique();
            bulk.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
            bulk.Property(row => row.Status).HasConversion<string>();
            bulk.Property(row => row.Work).HasConversion<string>();
            bulk.Property(row => row.Values).HasColumnType("jsonb");
        });
        builder.Entity<BulkPart>(part =>
        {
            part.ToTable("bulk_parts").HasIndex(row => new { row.BulkId, row.Number }).IsUnique();
            part.HasOne<BulkChange>().WithMany().HasForeignKey(row => row.BulkId).OnDelete(DeleteBehavior.Cascade);
            part.Property(row => row.Records).HasColumnType("jsonb");
            part.Property(row => row.Refused).HasColumnType("jsonb");
            part.Property(row => row.Missing).HasColumnType("jsonb").HasDefaultValueSql("'[]'");
        });
        builder.Entity<RecordNote>(note =>
        {
            note.ToTable("record_notes")
                .HasIndex(row => new
                {
                    row.DatasetId,
                    row.Key,
                    row.At,
                });
            note.Property(row => row.Files).HasColumnType("jsonb");
        });
        builder.Entity<NoteVersion>(version =>
        {
            version.ToTable("note_versions").HasIndex(row => row.NoteId);
            version.HasOne<RecordNote>().WithMany().HasForeignKey(row => row.NoteId).OnDelete(DeleteBehavior.Cascade);
        });
        builder.Entity<StoredAlteration>(alteration =>
        {
            alteration.ToTable("alterations").HasIndex(row => new { row.DatasetId, row.At });
            AsJson(alteration.Property(row => row.Undo));
        });
        builder.Entity<StoredFile>().ToTable("files").HasKey(row => row.Hash);
        builder.Entity<FilePiece>(piece =>
        {
            piece.ToTable("file_pieces").HasKey(row => new { row.Hash, row.Number });
            piece.HasOne<StoredFile>().WithMany().HasForeignKey(row => row.Hash).OnDelete(DeleteBehavior.Cascade);
        });
        builder.Entity<Import>(import =>
        {
            import.ToTable("imports").HasIndex(row => new { row.PersonId, row.At });
            import.HasOne<Person>().WithMany().HasForeignKey(row => row.PersonId).OnDelete(DeleteBehavior.Cascade);
            import.Property(row => row.Kind).HasConversion<string>();
            AsJson(import.Property(row => row.Plan));
        });
        builder.Entity<ImportMapping>(mapping =>
        {
            mapping.ToTable("import_mappings").HasIndex(row => new { row.DatasetId, row.Name }).IsUnique();
            AsJson(mapping.Property(row => row.Plan));
        });
        builder.Entity<ImportPiece>(piece =>
        {
            piece.ToTable("import_pieces").HasKey(row => new { row.ImportId, row.Number });
            piece.HasOne<Import>().WithMany().HasForeignKey(row => row.ImportId).OnDelete(DeleteBehavior.Cascade);
        });
        builder.Entity<LogEntry>(entry =>
        {
            // Its migration makes the table itself: one for each month, and what refuses to alter it.
            entry.ToTable("log_entries", table => table.ExcludeFromMigrations()).HasKey(row => new { row.Id, row.At });
            entry.Property(row => row.Id).ValueGeneratedNever();
        });
    }

    /// <summary>
    /// Makes a change and saves it. Where somebody else saved the same at that moment, it is made once more, on what is there then.
    /// </summary>
    /// <param name="change">Reads what it needs from this store, and changes it.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task SaveOnNewestAsync(Func<Task> change, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(change);
        for (var at = 1; ; at++)
        {
            try
            {
                await change();
                await SaveChangesAsync(cancellation);
                return;
            }
            catch (Exception exception) when (at < MostTries && StoreFailure.IsCollision(exception))
            {
                ChangeTracker.Clear();
                await Task.Delay(Random.Shared.Next(5, 25) * at, cancellation);
            }
        }
    }

    /// <summary>Takes datasets in their new form: those that are known in the place of what they were, the others as new ones.</summary>
    /// <remarks>They are kept by what saves next.</remarks>
    public async Task TakeAsync(IReadOnlyCollection<Dataset> datasets, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(datasets);
        var ids = datasets.Select(dataset => dataset.Id.Value).ToArray();
        var known = await Datasets.Where(row => ids.Contains(row.Id)).ToDictionaryAsync(row => row.Id, cancellation);
        foreach (var dataset in datasets)
        {
            if (known.TryGetValue(dataset.Id.Value, out var row))
            {
                (row.Definition, row.SourceId) = (dataset, dataset.Source.Value);
            }
            else
            {
                Datasets.Add(
                    new StoredDataset
                    {
                        Id = dataset.Id.Value,
                        SourceId = dataset.Source.Value,
                        Definition = dataset,
                    }
                );
            }
        }
    }

    /// <summary>Saves; a dataset that was changed has its next revision then.</summary>
    public override Task<int> SaveChangesAsync(bool acceptAllChangesOnSuccess, CancellationToken cancellationToken = default)
    {
        foreach (var dataset in ChangeTracker.Entries<StoredDataset>().Where(entry => entry.State == EntityState.Modified))
        {
            dataset.Entity.Revision++;
        }

        return base.SaveChangesAsync(acceptAllChangesOnSuccess, cancellationToken);
    }

    private static void AsJsonValue<T>(PropertyBuilder<ImmutableArray<T>> property) =>
        property
            .HasColumnType("jsonb")
            .HasConversion(
                value => JsonSerializer.Serialize(value, KindJson.Options),
                text => JsonSerializer.Deserialize<ImmutableArray<T>>(text, KindJson.Options),
                new ValueComparer<ImmutableArray<T>>((one, other) => one.SequenceEqual(other), value => value.Length, value => value)
            );

    // Documents never change in place: one that is another object is another document.
    private static void AsJson<T>(PropertyBuilder<T> property)
        where T : class? =>
        property
            .HasColumnType("jsonb")
            .HasConversion(
                value => JsonSerializer.Serialize(value, KindJson.Options),
                text => JsonSerializer.Deserialize<T>(text, KindJson.Options)!,
                new ValueComparer<T>(
                    (one, other) => ReferenceEquals(one, other),
                    value => System.Runtime.CompilerServices.RuntimeHelpers.GetHashCode(value),
                    value => value
                )
            );
}
