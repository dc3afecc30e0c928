using System.Globalization;
using System.Security.Cryptography;
using System.Text.Json;

namespace Rostrum.Store;

/// <summary>
/// One change of one record, as the logbook keeps it. Entries are only ever added: the database refuses to change or remove one, and each
/// holds the digest of the one before it, so that what was altered elsewhere shows.
/// </summary>
public sealed class LogEntry
{
    /// <summary>Its number: entries are chained in this order.</summary>
    public long Id { get; set; }
    public required DateTimeOffset At { get; init; }
    public required Guid DatasetId { get; init; }

    /// <summary>The record's key as text.</summary>
    public required string Key { get; init; }

    /// <summary>What named it then.</summary>
    public required string Title { get; init; }

    /// <summary>Added, changed or deleted.</summary>
    public required string Kind { get; init; }

    /// <summary>
    /// The fields whose values are others than before, in JSON: of each the value before and after, exactly; null for a blank.
    /// </summary>
    public required string Fields { get; init; }

    /// <summary>What takes it back, as text; null where nothing does.</summary>
    public string? Inverse { get; init; }
    public Guid? PersonId { get; init; }
    public required string PersonName { get; init; }

    /// <summary>Through what it was made: an app and its page, or a workflow.</summary>
    public required string Via { get; init; }

    /// <summary>What was saved in one transaction has the same number.</summary>
    public required long Batch { get; init; }

    /// <summary>
    /// The press of a key or the run in which it was saved: all that was saved in one has the same. Null where it is of neither.
    /// </summary>
    public string? Occasion { get; init; }

    /// <summary>The digest of the entry before it; none for the first.</summary>
    public byte[] Before { get; set; } = [];

    /// <summary>Its own digest: of the one before it and all that it says.</summary>
    public byte[] Digest { get; set; } = [];

    /// <summary>The digest that it must have (SHA-256, FIPS 180-4) where nothing was altered.</summary>
    public byte[] Computed()
    {
        string?[] occasion = Occasion is null ? [] : [Occasion];
        var said = JsonSerializer.SerializeToUtf8Bytes(
            new[]
            {
                Convert.ToHexString(Before),
                Id.ToString(CultureInfo.InvariantCulture),
                At.ToUniversalTime().ToString("O", CultureInfo.InvariantCulture),
                DatasetId.ToString("D"),
                Key,
                Title,
                Kind,
                Fields,
                Inverse,
                PersonId?.ToString("D"),
                PersonName,
                Via,
                Batch.ToString(CultureInfo.InvariantCulture),
            }
                .Concat(occasion)
                .ToArray()
        );
        return SHA256.HashData(said);
    }
}
