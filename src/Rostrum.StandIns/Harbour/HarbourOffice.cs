using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text.Json;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Routing;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;

namespace Rostrum.StandIns.Harbour;

/// <summary>
/// The harbour office's service: a sign-in for a token that lasts a minute, tides and weather by port, and berth bookings in pages inside
/// an envelope, which can be made, changed and withdrawn.
/// </summary>
public static class HarbourOffice
{
    public const string User = "brackwater";
    public const string Password = "berth-and-buoy-9";
    private const int TokenSeconds = 60;
    private const int MostPerPage = 50;

    /// <summary>The service at an address; it is started by its caller.</summary>
    public static WebApplication At(string address, DateOnly today)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.WebHost.UseUrls(address);
        builder.Logging.ClearProviders();
        builder.Services.ConfigureHttpJsonOptions(options =>
            options.SerializerOptions.PropertyNamingPolicy = JsonNamingPolicy.SnakeCaseLower
        );
        builder.Services.AddSingleton(new BookingLedger(today));
        var app = builder.Build();
        var tokens = new ConcurrentDictionary<string, DateTimeOffset>(StringComparer.Ordinal);
        app.MapPost("/sign-in", (SignIn said) => Token(said, tokens));
        app.MapGet("/openapi.json", () => Results.Text(OpenApiText(), "application/json"));
        var api = app.MapGroup("")
            .AddEndpointFilter(
                async (context, next) =>
                    IsKnown(context.HttpContext.Request, tokens)
                        ? await next(context)
                        : TypedResults.Json(new { detail = "The token is missing or has expired." }, statusCode: 401)
            );
        MapBookings(api);
        MapDisputes(api);
        api.MapGet("/tides", (string? port) => Tides(port, today));
        api.MapGet("/weather", (string? port) => Weather(port));
        api.MapGet("/slow", async (CancellationToken cancellation) =>
        {
            await Task.Delay(TimeSpan.FromSeconds(30), cancellation);
            return TypedResults.Ok(new { items = Array.Empty<object>() });
        });
        var asked = 0;
        api.MapGet("/pilots", IResult () =>
            Interlocked.Increment(ref asked) % 3 == 0
                ? TypedResults.Json(new { detail = "The duty roster is being written." }, statusCode: 503)
                : TypedResults.Ok(Pilots)
        );
        return app;
    }

    private sealed record SignIn(string? User, string? Password);

    private sealed record Dispute(string? Bill, decimal? Amount, string? Reason);

    // The same Idempotency-Key twice is one dispute.
    private static void MapDisputes(RouteGroupBuilder api)
    {
        var known = new ConcurrentDictionary<string, string>(StringComparer.Ordinal);
        api.MapPost("/disputes", IResult (Dispute dispute, HttpContext context) =>
        {
            if (dispute.Bill is not { Length: > 0 } bill || dispute.Amount is not > 0)
            {
                return TypedResults.Json(new { detail = "A dispute names a bill and an amount." }, statusCode: 422);
            }

            var key = context.Request.Headers["Idempotency-Key"].ToString();
            var reference = known.GetOrAdd(key.Length == 0 ? Guid.NewGuid().ToString() : key, _ => $"D-{known.Count + 1:0000}");
            return TypedResults.Json(
                new
                {
                    reference,
                    bill,
                    state = "accepted",
                },
                statusCode: 201
            );
        });
    }

    private static object[] Pilots { get; } =
    [
        new
        {
            number = 1,
            name = "Turid Aas",
            on_duty = true,
        },
        new
        {
            number = 2,
            name = "Leif Berg",
            on_duty = false,
        },
    ];

    private static IResult Token(SignIn said, ConcurrentDictionary<string, DateTimeOffset> tokens)
    {
        if (said is not { User: User, Password: Password })
        {
            return TypedResults.Json(new { detail = "User or password are wrong." }, statusCode: 401);
        }

        var token = Convert.ToHexString(RandomNumberGenerator.GetBytes(16));
        tokens[token] = DateTimeOffset.UtcNow.AddSeconds(TokenSeconds);
        return TypedResults.Ok(new { token, expires_in = TokenSeconds });
    }

    private static bool IsKnown(HttpRequest request, ConcurrentDictionary<string, DateTimeOffset> tokens) =>
        request.Headers.Authorization.ToString() is { } header
        && header.StartsWith("Bearer ", StringComparison.Ordinal)
        && tokens.TryGetValue(header[7..], out var until)
        && until > DateTimeOffset.UtcNow;

    private static void MapBookings(IEndpointRouteBuilder api)
    {
        api.MapGet(
            "/bookings",
            (
                BookingLedger ledger,
                string? port,
                string? vessel,
                string? state,
                string? sort,
                int page = 1,
                [FromQuery(Name = "per_page")] int perPage = 25
            ) =>
            {
                var found = ledger
                    .All.Where(booking => port is null || booking.PortCode == port)
                    .Where(booking => vessel is null || booking.Vessel == vessel)
                    .Where(booking => state is null || booking.State == state);
                Booking[] all = [.. Ordered(found, sort)];
                var size = Math.Clamp(perPage, 1, MostPerPage);
                return TypedResults.Ok(
                    new
                    {
                        meta = new
                        {
                            page,
                            per_page = size,
                            total = all.Length,
                        },
                        data = new { bookings = all.Skip((Math.Max(1, page) - 1) * size).Take(size).Select(Shown) },
                    }
                );
            }
        );
        api.MapGet("/bookings/{reference}", IResult (BookingLedger ledger, string reference) =>
            ledger.Find(reference) is { } booking ? TypedResults.Ok(Shown(booking)) : Unknown(reference)
        );
        api.MapPost("/bookings", (BookingLedger ledger, BookingChange change) => Make(ledger, change));
        api.MapPatch("/bookings/{reference}", (BookingLedger ledger, string reference, BookingChange change) =>
            Change(ledger, reference, change)
        );
        api.MapDelete("/bookings/{reference}", IResult (BookingLedger ledger, string reference) =>
            ledger.Remove(reference) ? TypedResults.NoContent() : Unknown(reference)
        );
    }

    private static JsonHttpResult<object> Unknown(string reference) =>
        TypedResults.Json<object>(new { detail = $"There is no booking {reference}." }, statusCode: 404);

    private static JsonHttpResult<object> Make(BookingLedger ledger, BookingChange change)
    {
        if (change.Port?.Code is not { } port || !BookingLedger.Ports.Contains(port))
        {
            return Refused("The port is not one of ours.");
        }

        if (change.Arrives is not { } arrives || change.Leaves is not { } leaves || change.Vessel is not { Length: > 0 } vessel)
        {
            return Refused("A booking needs a vessel, an arrival and a departure.");
        }

        var booking = new Booking
        {
            Reference = "",
            PortCode = port,
            Vessel = vessel,
            Berth = change.Berth ?? 1,
            Arrives = arrives,
            Leaves = leaves,
            State = change.State ?? "asked",
            Fee = Money(change.Fee) ?? 0,
            Note = change.Note,
            RequestedBy = change.Contact?.Name ?? "unknown",
            ShorePower = change.ShorePower ?? false,
        };
        return Problem(booking) is { } problem ? Refused(problem) : TypedResults.Json<object>(Shown(ledger.Add(booking)), statusCode: 201);
    }

    private static IResult Change(BookingLedger ledger, string reference, BookingChange change)
    {
        if (ledger.Find(reference) is not { } known)
        {
            return Unknown(reference);
        }

        var changed = known with
        {
            PortCode = change.Port?.Code ?? known.PortCode,
            Vessel = change.Vessel ?? known.Vessel,
            Berth = change.Berth ?? known.Berth,
            Arrives = change.Arrives ?? known.Arrives,
            Leaves = change.Leaves ?? known.Leaves,
            State = change.State ?? known.State,
            Fee = Money(change.Fee) ?? known.Fee,
            Note = change.Note ?? known.Note,
            RequestedBy = change.Contact?.Name ?? known.RequestedBy,
            ShorePower = change.ShorePower ?? known.ShorePower,
        };
        if (Problem(changed) is { } problem)
        {
            return Refused(problem);
        }

        ledger.Replace(changed);
        return TypedResults.Ok(Shown(changed));
    }

    private static string? Problem(Booking booking) =>
        booking.Leaves <= booking.Arrives ? "A vessel leaves after it arrives."
        : !BookingLedger.States.Contains(booking.State) ? "The state is asked, confirmed or withdrawn."
        : !BookingLedger.Ports.Contains(booking.PortCode) ? "The port is not one of ours."
        : null;

    private static JsonHttpResult<object> Refused(string why) => TypedResults.Json<object>(new { detail = why }, statusCode: 422);

    private static decimal? Money(string? text) =>
        decimal.TryParse(text, NumberStyles.Number, CultureInfo.InvariantCulture, out var money) ? money : null;

    private static object Shown(Booking booking) =>
        new
        {
            reference = booking.Reference,
            port = new { code = booking.PortCode },
            vessel = booking.Vessel,
            berth = booking.Berth,
            arrives = booking.Arrives.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture),
            leaves = booking.Leaves.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture),
            state = booking.State,
            fee = booking.Fee.ToString("0.00", CultureInfo.InvariantCulture),
            note = booking.Note,
            contact = new { name = booking.RequestedBy },
            shore_power = booking.ShorePower,
        };

    private static IEnumerable<Booking> Ordered(IEnumerable<Booking> bookings, string? sort)
    {
        IComparable By(Booking booking) =>
            sort!.TrimStart('-') switch
            {
                "arrives" => booking.Arrives,
                "leaves" => booking.Leaves,
                _ => booking.Reference,
            };
        return sort is null ? bookings
            : sort.StartsWith('-') ? bookings.OrderByDescending(By)
            : bookings.OrderBy(By);
    }

    private static Ok<object> Tides(string? port, DateOnly today)
    {
        var first = Array.IndexOf(BookingLedger.Ports, port ?? "BRW");
        return TypedResults.Ok<object>(
            new
            {
                port = port ?? "BRW",
                tides = Enumerable
                    .Range(0, 28)
                    .Select(turn => new
                    {
                        port = port ?? "BRW",
                        at = today
                            .ToDateTime(new TimeOnly(1, 10))
                            .AddMinutes(turn * 373 + first * 17)
                            .ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture),
                        height_m = Math.Round((turn % 2 == 0 ? 3.1 : 0.6) + first * 0.05, 2),
                        kind = turn % 2 == 0 ? "high" : "low",
                    }),
            }
        );
    }

    private static Ok<object> Weather(string? port)
    {
        var at = Math.Max(0, Array.IndexOf(BookingLedger.Ports, port ?? "BRW"));
        return TypedResults.Ok<object>(
            new
            {
                results = (port is null ? BookingLedger.Ports : [port]).Select(
                    (code, turn) =>
                        new
                        {
                            port = code,
                            wind_ms = 4 + ((at + turn) * 3 % 11),
                            wave_m = Math.Round(0.4 + ((at + turn) % 5 * 0.35), 2),
                            sky = (at + turn) % 3 == 0 ? "rain" : "clear",
                        }
                ),
            }
        );
    }

    private static string OpenApiText()
    {
        using var stream = typeof(HarbourOffice).Assembly.GetManifestResourceStream("harbour-openapi.json")!;
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }
}
