using System.Data.Common;
using System.Text;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>A statement in the making: text, and the values that go beside it as parameters.</summary>
internal sealed class SqlText(SqlEngine engine) : ISqlParameters
{
    private readonly StringBuilder _text = new();
    private readonly Dictionary<object, string> _known = [];
    private string? _whole;
    private bool _hasGone;

    /// <summary>The database for which it is.</summary>
    public SqlEngine Engine => engine;

    public List<DbParameter> Parameters { get; } = [];

    /// <summary>The table that it reads first; null where it reads none.</summary>
    public string? Table { get; set; }

    /// <summary>Something was wanted that the server cannot do: the statement is not to be carried out.</summary>
    public bool IsRefused { get; private set; }

    /// <summary>Marks the statement as one that is not to be carried out; a condition that stands in for what cannot be said.</summary>
    public string Refuse()
    {
        IsRefused = true;
        return "FALSE";
    }

    public SqlText Add(string text)
    {
        _text.Append(text);
        _whole = null;
        return this;
    }

    /// <summary>The placeholder for a value of a field; equal values of one field are not shared.</summary>
    public string Value(Field field, object? value) => engine.Typed(Placeholder(engine.CodecOf(field.Type).Parameter(value)), field);

    /// <summary>The placeholder for a parameter.</summary>
    public string Placeholder(DbParameter parameter)
    {
        Parameters.Add(parameter);
        parameter.ParameterName = engine.NameOf(Parameters.Count);
        return engine.Placeholder(Parameters.Count);
    }

    public string Text(string value) => Placeholder(engine.Parameter(value));

    public string Number(long value) => Placeholder(engine.Parameter(value));

    /// <summary>
    /// The placeholder for a value of a formula: a <see cref="decimal"/>, a whole number as <see cref="long"/>, or another carrier.
    /// </summary>
    public string Add(FormulaType type, object value)
    {
        if (!_known.TryGetValue(value, out var placeholder))
        {
            _known.Add(value, placeholder = Placeholder(engine.Parameter(value)));
        }

        return placeholder;
    }

    public string AddFor(Field field, object value)
    {
        if (!_known.TryGetValue((field.NativeType, value), out var placeholder))
        {
            _known.Add((field.NativeType, value), placeholder = Value(field, value));
        }

        return placeholder;
    }

    public DbCommand Command(DbConnection connection, DbTransaction? transaction = null)
    {
        var command = connection.CreateCommand();
        command.CommandText = Sound;
        command.Transaction = transaction;
        AddParameters(command.Parameters);
        return command;
    }

    // A parameter belongs to one command: where the statement goes once more, it goes with copies.
    private void AddParameters(DbParameterCollection parameters)
    {
        foreach (var parameter in Parameters)
        {
            parameters.Add(_hasGone ? engine.Copy(parameter) : parameter);
        }

        _hasGone = true;
    }

    /// <summary>The statement as one of several that go together; it may have to go again by itself.</summary>
    public void AddTo(DbBatch batch)
    {
        var command = batch.CreateBatchCommand();
        command.CommandText = Sound;
        AddParameters(command.Parameters);
        batch.BatchCommands.Add(command);
    }

    /// <summary>Adds a piece of another statement with the values of that; its placeholders are counted on.</summary>
    public SqlText Add(SqlText of, string text)
    {
        _whole = null;
        var offset = Parameters.Count;
        Parameters.AddRange(of.Parameters.Select(parameter => engine.Copy(parameter)));
        var quote = '\0';
        for (var at = 0; at < text.Length; at++)
        {
            _text.Append(text[at]);
            if (quote != '\0')
            {
                quote = text[at] == quote ? '\0' : quote;
            }
            else if (text[at] is '"' or '\'')
            {
                quote = text[at];
            }
            else if (text[at] == '$')
            {
                var number = 0;
                while (at + 1 < text.Length && char.IsAsciiDigit(text[at + 1]))
                {
                    number = number * 10 + (text[++at] - '0');
                }

                _text.Append(offset + number);
            }
        }

        return this;
    }

    /// <summary>A statement that has these values already, and no text.</summary>
    public SqlText Copy()
    {
        var copy = new SqlText(engine);
        copy.Parameters.AddRange(Parameters.Select(parameter => engine.Copy(parameter)));
        foreach (var (value, placeholder) in _known)
        {
            copy._known.Add(value, placeholder);
        }

        return copy;
    }

    public override string ToString() => _whole ??= _text.ToString();

    private string Sound => IsRefused ? throw new InvalidOperationException("a statement that was refused is not carried out") : ToString();
}
