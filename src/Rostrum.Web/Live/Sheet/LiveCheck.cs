using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Sheet;

/// <summary>What changes on the page while a form is being typed.</summary>
/// <param name="Form">The form as it stands.</param>
/// <param name="Said">The places whose messages change.</param>
/// <param name="Panels">The panels that look at what is typed.</param>
internal sealed record CheckedForm(
    RecordFormView.Open Form,
    ImmutableArray<(string Id, string Name, ImmutableArray<FieldProblem> Said)> Said,
    ImmutableArray<Panels.PanelView> Panels
);

/// <summary>Which messages of a form change while it is being typed.</summary>
internal static class LiveCheck
{
    /// <summary>The places whose messages are others than those that the page shows.</summary>
    /// <remarks>Nobody is told that a field is blank before having come to it: a field speaks once it has a text, or has been changed, or
    /// speaks already.</remarks>
    public static IEnumerable<(string Id, string Name, ImmutableArray<FieldProblem> Said)> Changed(
        RecordFormView.Open open,
        IFormCollection posted
    )
    {
        string[] Shown(string name) => [.. posted[$"m.{name}"].OfType<string>()];
        var places = open
            .Form.Fields.Where(field => field.ReadOnlyBecause is null)
            .Select(field =>
                (
                    field.Id,
                    Name: field.Field.Name.Value,
                    field.Said,
                    Speaks: field.Text.Length > 0 || field.Original is not null || field.Usual.Length > 0
                )
            )
            .Append((Id: open.WholeId, Name: RecordFormView.Open.Whole, open.Said, Speaks: !open.IsNew));
        foreach (var (id, name, said, speaks) in places)
        {
            var shown = Shown(name);
            var now = speaks || shown.Length > 0 ? said : [];
            if (!now.Select(problem => problem.Message).SequenceEqual(shown))
            {
                yield return (id, name, now);
            }
        }
    }
}
