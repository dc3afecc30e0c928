using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live;

/// <summary>Records to which a field can refer, looked up by what names them, and by their keys.</summary>
internal sealed class RecordsByTitle
{
    // So many are read at once; of more each title is looked for.
    private const int MostRead = 5_000;
    private const int MostAlike = 30;

    private readonly ILookup<string, Record> _titles;
    private readonly Dictionary<string, Record> _keys;
    private readonly Field _key;

    private RecordsByTitle(Field key, IEnumerable<Record> records)
    {
        _key = key;
        Record[] each =
        [
            .. records
                .Where(record => record[key.Name] is not null and not Unreadable)
                .DistinctBy(record => FieldText.ToCanonical(key.Type, record[key.Name]!)),
        ];
        _keys = each.ToDictionary(record => FieldText.ToCanonical(key.Type, record[key.Name]!), StringComparer.Ordinal);
        _titles = each.ToLookup(record => record.Title, StringComparer.OrdinalIgnoreCase);
    }

    /// <summary>The records of a title; capitals do not matter.</summary>
    public Record[] Called(string title) => [.. _titles[title]];

    /// <summary>Whether there is a record of a key.</summary>
    public bool Has(object key) => _keys.ContainsKey(FieldText.ToCanonical(_key.Type, key));

    /// <summary>Those among which some titles and keys can be; null where that cannot be found out.</summary>
    /// <param name="ask">Reads records through the gate.</param>
    /// <param name="target">Their dataset.</param>
    /// <param name="key">The field by which they are referred to.</param>
    /// <param name="titles">The titles.</param>
    /// <param name="keys">The keys.</param>
    public static async Task<RecordsByTitle?> ReadAsync(
        Func<ReadRequest, Task<ReadResult>> ask,
        DatasetId target,
        Field key,
        IReadOnlyCollection<string> titles,
        IReadOnlyCollection<object> keys
    )
    {
        var records = new List<Record>();
        async Task<bool> AddAsync(ReadRequest request)
        {
            var read = await ask(request with { Fields = [key.Name] });
            records.AddRange(read is ReadResult.Rows rows ? rows.Records : []);
            return read is ReadResult.Rows or ReadResult.Denied;
        }

        if (!await AddAsync(new ReadRequest(target) { Window = new PageWindow.FromStart(0, MostRead + 1) }))
        {
            return null;
        }

        if (records.Count > MostRead)
        {
            records.Clear();
            var byKey = new ReadRequest(target)
            {
                Filter = new Filter.OneOf(key.Name, [.. keys]),
                Window = new PageWindow.FromStart(0, Math.Max(1, keys.Count)),
            };
            if (keys.Count > 0 && !await AddAsync(byKey))
            {
                return null;
            }

            foreach (var title in titles)
            {
                if (!await AddAsync(new ReadRequest(target) { Search = title, Window = new PageWindow.FromStart(0, MostAlike) }))
                {
                    return null;
                }
            }
        }

        return new RecordsByTitle(key, records);
    }
}
