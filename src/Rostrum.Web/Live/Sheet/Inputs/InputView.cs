namespace Rostrum.Web.Live.Sheet.Inputs;

/// <summary>An input of a form, to be shown.</summary>
/// <param name="Field">The field.</param>
/// <param name="Usual">What it is unless somebody says otherwise, in words; null where nothing is said of it.</param>
/// <param name="Sheet">The record's form; null where the input belongs to none, as in a sign-off.</param>
internal sealed record InputView(FormField Field, string? Usual, RecordFormView.Open? Sheet);
