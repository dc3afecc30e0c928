using Rostrum.Core.Imports;

namespace Rostrum.Store;

/// <summary>What a file of records is.</summary>
public enum ImportKind
{
    /// <summary>Text with delimiters.</summary>
    Text,

    /// <summary>A workbook.</summary>
    Workbook,

    /// <summary>Objects in JSON.</summary>
    Json,
}

/// <summary>A file whose rows somebody wants to have among the records of a dataset.</summary>
public sealed class Import
{
    public long Id { get; init; }
    public required Guid PersonId { get; init; }
    public required Guid DatasetId { get; init; }

    /// <summary>The app from which it was begun; and whether in its live version.</summary>
    public required string App { get; init; }
    public required bool IsLive { get; init; }

    /// <summary>Where it was begun: an address.</summary>
    public required string From { get; init; }

    /// <summary>Through what: an app and its page.</summary>
    public required string Via { get; init; }

    /// <summary>The file's name.</summary>
    public required string Name { get; init; }
    public required ImportKind Kind { get; init; }
    public required ImportPlan Plan { get; set; }

    /// <summary>Its trial; null where what is planned now was not tried.</summary>
    public long? CheckId { get; set; }

    /// <summary>What it does; null where it is not begun.</summary>
    public long? BulkId { get; set; }
    public required DateTimeOffset At { get; init; }
}

/// <summary>How files of one kind become records of a dataset, kept by name for whoever imports there.</summary>
public sealed class ImportMapping
{
    public long Id { get; init; }
    public required Guid DatasetId { get; init; }
    public required string Name { get; init; }

    /// <summary>The headings of the file for which it was made; blank where it had none.</summary>
    public required string[] Headings { get; set; }
    public required ImportPlan Plan { get; set; }

    /// <summary>Who kept it last.</summary>
    public required string By { get; set; }
    public required DateTimeOffset At { get; set; }
}

/// <summary>A piece of a file.</summary>
public sealed class ImportPiece
{
    public required long ImportId { get; init; }
    public required int Number { get; init; }
    public required byte[] Bytes { get; init; }
}
