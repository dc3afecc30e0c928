using System.Globalization;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests;

internal static class Formats
{
    public static RecordFormat British { get; } = RecordFormat.For(CultureInfo.GetCultureInfo("en-GB"), TimeZoneInfo.Utc);
}
