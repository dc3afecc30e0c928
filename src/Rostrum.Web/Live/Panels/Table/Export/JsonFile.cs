using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Panels.Table.Export;

/// <summary>
/// What a table shows as a list of objects in JSON (RFC 8259), by the names of fields: numbers, yes and no as such, days and moments as
/// ISO 8601 has them, records by their keys. It is sent while it is read.
/// </summary>
internal sealed class JsonFile(TableView view, string name) : FileResult("application/json")
{
    private const int SentAtOnce = 64 * 1024;

    public override async Task ExecuteResultAsync(ActionContext context)
    {
        var (http, cancellation) = (context.HttpContext, context.HttpContext.RequestAborted);
        http.Response.SaysAttachment(ContentType, name);
        await using var writer = new Utf8JsonWriter(http.Response.Body, new JsonWriterOptions { Indented = true });
        writer.WriteStartArray();
        await foreach (var page in TablePages.ReadAsync(view, cancellation))
        {
            if (page is null)
            {
                http.Abort();
                return;
            }

            foreach (var record in page)
            {
                Write(writer, record);
                if (writer.BytesPending > SentAtOnce)
                {
                    await writer.FlushAsync(cancellation);
                }
            }
        }

        writer.WriteEndArray();
        await writer.FlushAsync(cancellation);
    }

    private void Write(Utf8JsonWriter writer, Record record)
    {
        writer.WriteStartObject();
        foreach (var field in view.Columns.Select(column => column.Field))
        {
            writer.WritePropertyName(field.Name.Value);
            switch (record[field.Name])
            {
                case null or Unreadable or byte[]:
                    writer.WriteNullValue();
                    break;
                case bool yes:
                    writer.WriteBooleanValue(yes);
                    break;
                case long number:
                    writer.WriteNumberValue(number);
                    break;
                case decimal number:
                    writer.WriteNumberValue(number);
                    break;
                case double number when double.IsFinite(number):
                    writer.WriteNumberValue(number);
                    break;
                case string json when field.Type is FieldType.Json:
                    writer.WriteRawValue(json);
                    break;
                case ListValue list when field.Type is FieldType.List:
                    writer.WriteRawValue(FieldText.ToCanonical(field.Type, list));
                    break;
                case TimeSpan span:
                    writer.WriteStringValue(FieldText.ToInput(field.Type, span, TimeZoneInfo.Utc));
                    break;
                case var value:
                    writer.WriteStringValue(FieldText.ToCanonical(field.Type, value));
                    break;
            }
        }

        writer.WriteEndObject();
    }
}
