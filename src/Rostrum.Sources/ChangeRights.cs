using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <summary>What can be said of a person's right to a change before the record is looked at.</summary>
internal static class ChangeRights
{
    /// <summary>The verb that a change needs.</summary>
    public static Verbs NeededFor(Change change) =>
        change switch
        {
            Change.Insert => Verbs.Create,
            Change.Update => Verbs.Update,
            Change.Delete => Verbs.Delete,
            _ => Verbs.All,
        };

    /// <summary>The verb that taking a change back needs: that of what is taken back.</summary>
    public static Verbs NeededToUndo(Change inverse) =>
        inverse switch
        {
            Change.Delete => Verbs.Create,
            Change.Restore => Verbs.Delete,
            Change.Update => Verbs.Update,
            _ => Verbs.All,
        };

    /// <summary>Why a person may not make a change, whatever the record is; null where the record decides.</summary>
    public static string? Denial(Dataset dataset, Grant grant, Change change, Verbs verb, bool isUndo)
    {
        if (dataset.ReadOnlyBecause is { } reason)
        {
            return reason;
        }

        if (!dataset.Takes.HasFlag(verb))
        {
            return $"The source has no way to {VerbWord(verb)} {dataset.LabelInSentence}.";
        }

        if (!grant.Allows(verb))
        {
            return $"You may not {VerbWord(verb)} {dataset.LabelInSentence}.";
        }

        return FieldDenial(dataset, grant, change, isUndo);
    }

    /// <summary>Why a person may not make a change of these fields; null where nothing keeps them from it.</summary>
    public static string? FieldDenial(Dataset dataset, Grant grant, Change change, bool isUndo)
    {
        // The values that an edit began with would otherwise tell whether a guess at a hidden one is right.
        if (!isUndo && change.Expected.Fields.Any(field => !grant.Readable.Has(field)))
        {
            return "The edit names a field that is not there for you.";
        }

        var written = change switch
        {
            Change.Insert insert => insert.Values,
            Change.Update update => update.Values,
            _ => FieldValues.None,
        };
        return WrittenDenial(dataset, change is Change.Insert ? grant.WritableInNew : grant.Writable, written.Fields);
    }

    /// <summary>Why some fields may not be written; null where all may.</summary>
    public static string? WrittenDenial(Dataset dataset, FieldSet writable, IEnumerable<FieldName> written)
    {
        var forbidden = written.FirstOrDefault(field => !writable.Has(field));
        return forbidden.Value is null ? null : $"You may not change {dataset.LabelOf(forbidden).ToLowerInvariant()}.";
    }

    private static string VerbWord(Verbs verb) =>
        verb switch
        {
            Verbs.Create => "add",
            Verbs.Update => "change",
            Verbs.Delete => "delete",
            Verbs.View => "see",
            _ => "do this with",
        };
}
