using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>The people that a step names: by their addresses, or by a role or a group that they have.</summary>
internal static class Recipients
{
    /// <summary>The people, each once; and the names that stand for nobody.</summary>
    public static (ImmutableArray<Guid> People, ImmutableArray<string> Unknown) Of(Workspace workspace, ImmutableArray<string> names)
    {
        var people = new List<Guid>();
        var unknown = ImmutableArray.CreateBuilder<string>();
        foreach (var name in names)
        {
            var found = workspace
                .People.Where(person =>
                    person.Value.IsActive
                    && (
                        string.Equals(person.Value.Email, name, StringComparison.OrdinalIgnoreCase)
                        || person.Value.Roles.Contains(name)
                        || person.Value.Groups.Contains(name)
                        || string.Equals(person.Value.Name, name, StringComparison.OrdinalIgnoreCase)
                    )
                )
                .Select(person => person.Key)
                .ToArray();
            if (found.Length == 0)
            {
                unknown.Add(name);
            }

            people.AddRange(found);
        }

        return ([.. people.Distinct()], unknown.ToImmutable());
    }
}

/// <summary>A record as people are told of it.</summary>
/// <param name="Key">Its key as text.</param>
/// <param name="Title">What names it.</param>
/// <param name="Address">Where it is seen.</param>
internal sealed record RecordPlace(string Key, string Title, string Address)
{
    /// <summary>The record with its title, and the first page of a published app that shows it.</summary>
    public static async Task<RecordPlace> OfAsync(RunContext context, Dataset dataset, RecordKey key)
    {
        var text = key.ToText(dataset);
        var title = await context.Reading.Gate.ReadAsync(
            context.Workspace.Datasets,
            ReadRequest.Of(dataset, key),
            context.Reading.Grants,
            context.Cancellation
        )
            is ReadResult.Rows { Records: [var record] }
            ? record.Title
            : text;
        return new RecordPlace(
            text,
            title,
            await context.Get<RecordAddresses>().OfAsync(context.Workspace, dataset, key, context.Cancellation) ?? "/inbox"
        );
    }
}
