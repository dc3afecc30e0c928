using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Actions;

/// <summary>What only the steps of workflows want done.</summary>
public abstract partial record StepEffect
{
    /// <summary>Records are read: what the step gives is the first of them, or all.</summary>
    /// <param name="Dataset">Their dataset.</param>
    /// <param name="Filter">A formula over each record; all of them where blank.</param>
    /// <param name="Values">Values for the parameters of the query that the dataset is.</param>
    /// <param name="Sort">The order.</param>
    /// <param name="Limit">How many at most; a longer list fails.</param>
    /// <param name="One">Only the first is wanted.</param>
    public sealed record Read(DatasetId Dataset, string Filter, FieldValues Values, ImmutableArray<SortBy> Sort, int Limit, bool One)
        : StepEffect;

    /// <summary>A record is changed where one has the same values in some fields, and added otherwise.</summary>
    public sealed record AddOrChange(DatasetId Dataset, ImmutableArray<FieldName> Match, FieldValues Values) : StepEffect;

    /// <summary>Before a save: these values are saved.</summary>
    public sealed record Amend(FieldValues Values) : StepEffect;

    /// <summary>A mail is sent.</summary>
    public sealed record SendMail(ImmutableArray<string> To, string Subject, string Text) : StepEffect
    {
        /// <summary>The files that go with it, by their names: texts, or lists of which tables are made.</summary>
        public ImmutableDictionary<string, object?> Attachments { get; init; } = ImmutableDictionary<string, object?>.Empty;
    }

    /// <summary>People find a message in their inbox.</summary>
    /// <param name="To">Addresses of people, or roles and groups by their names for formulas.</param>
    /// <param name="Title">What it is about.</param>
    /// <param name="Text">What it says.</param>
    /// <param name="About">The record that it is about; null where it is about none.</param>
    public sealed record Notify(ImmutableArray<string> To, string Title, string Text, (DatasetId Dataset, RecordKey Key)? About)
        : StepEffect;

    /// <summary>An API is called.</summary>
    /// <param name="Source">The source.</param>
    /// <param name="Method">GET, POST, PUT, PATCH or DELETE.</param>
    /// <param name="Path">The path under the source's address, filled in.</param>
    /// <param name="Body">What is sent, in JSON, filled in; nothing where blank.</param>
    /// <param name="Repeatable">The API takes the same call twice for one: where it is not known whether it came, it is sent again.</param>
    public sealed record CallApi(SourceId Source, string Method, string Path, string Body, bool Repeatable) : StepEffect;

    /// <summary>Another workflow runs; its result is what the step gives.</summary>
    /// <param name="Workflow">Its name.</param>
    /// <param name="Values">What it is given, by the names of its inputs.</param>
    /// <param name="Waits">The step is done once that has ended.</param>
    public sealed record RunWorkflow(string Workflow, ImmutableDictionary<string, object?> Values, bool Waits) : StepEffect;

    /// <summary>Somebody is asked to decide.</summary>
    /// <param name="Who">Addresses of people, or roles and groups by their names for formulas.</param>
    /// <param name="Question">What is asked.</param>
    /// <param name="Text">What there is to know.</param>
    /// <param name="Answers">The answers to choose from.</param>
    /// <param name="Due">By when; null where there is no hurry.</param>
    /// <param name="EscalatesTo">Who is asked as well once it is overdue.</param>
    /// <param name="About">The record that it is about; null where it is about none.</param>
    public sealed record AskForDecision(
        ImmutableArray<string> Who,
        string Question,
        string Text,
        ImmutableArray<string> Answers,
        DateTimeOffset? Due,
        ImmutableArray<string> EscalatesTo,
        (DatasetId Dataset, RecordKey Key)? About
    ) : StepEffect
    {
        /// <summary>The comment may not be left out with these answers.</summary>
        public ImmutableArray<string> NeedsComment { get; init; } = [];

        /// <summary>What whoever decides fills in besides.</summary>
        public ImmutableArray<PageParameter> Fields { get; init; } = [];
    }

    /// <summary>A script computes what the step gives.</summary>
    /// <param name="Code">JavaScript, whose last value counts.</param>
    /// <param name="Inputs">What it knows, by name.</param>
    public sealed record RunScript(string Code, ImmutableDictionary<string, object?> Inputs) : StepEffect;
}
