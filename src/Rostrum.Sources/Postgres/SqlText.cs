using System.Text;
using Npgsql;
using NpgsqlTypes;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Postgres;

/// <summary>A statement in the making: text, and the values that go beside it as parameters.</summary>
internal sealed class SqlText
{
    private readonly StringBuilder _text = new();

    public List<NpgsqlParameter> Parameters { get; } = [];

    public SqlText Add(string text)
    {
        _text.Append(text);
        return this;
    }

    /// <summary>The placeholder for a value of a field; equal values of one field are not shared.</summary>
    public string Value(Field field, object? value) => Placeholder(PostgresValues.Parameter(field.Type, value)) + PostgresValues.Cast(field);

    public string Text(string value) => Placeholder(new NpgsqlParameter { Value = value, NpgsqlDbType = NpgsqlDbType.Text });

    public string Number(long value) => Placeholder(new NpgsqlParameter { Value = value, NpgsqlDbType = NpgsqlDbType.Bigint });

    public NpgsqlCommand Command(NpgsqlConnection connection, NpgsqlTransaction? transaction = null)
    {
        var command = new NpgsqlCommand(_text.ToString(), connection, transaction);
        foreach (var parameter in Parameters)
        {
            command.Parameters.Add(parameter);
        }

        return command;
    }

    public override string ToString() => _text.ToString();

    private string Placeholder(NpgsqlParameter parameter)
    {
        Parameters.Add(parameter);
        return $"${Parameters.Count}";
    }
}
