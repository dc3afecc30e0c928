using System.Net;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>What is typed into a form is kept for its person until it is saved.</summary>
public sealed class UnsavedFormTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private static async Task<HttpStatusCode> KeepAsync(Visitor visitor, string form, string values)
    {
        using var answer = await visitor.PostAsync("/account", "/unsaved", ("form", form), ("values", values));
        return answer.StatusCode;
    }

    [Fact]
    public async Task What_was_typed_last_is_kept_for_whoever_typed_it_and_gone_once_it_is_dropped()
    {
        var (maren, egil) = (await application.AsAsync("maren"), await application.AsAsync("egil"));
        const string Form = "/apps/maintenance/defects defects 7";
        string At(string form) => $"/unsaved?form={Uri.EscapeDataString(form)}";
        Assert.Equal(HttpStatusCode.NoContent, await maren.StatusAsync(At(Form)));
        Assert.Equal(HttpStatusCode.NoContent, await KeepAsync(maren, Form, """{"v.title":["Lamp"]}"""));
        Assert.Equal(HttpStatusCode.NoContent, await KeepAsync(maren, Form, """{"v.title":["Lamp flickers"]}"""));
        Assert.Contains(
            "\"values\":{\"v.title\":[\"Lamp flickers\"]}",
            await maren.Client.GetStringAsync(At(Form)),
            StringComparison.Ordinal
        );
        Assert.Equal(HttpStatusCode.NoContent, await egil.StatusAsync(At(Form)));
        Assert.Equal(HttpStatusCode.NoContent, await KeepAsync(maren, Form, ""));
        Assert.Equal(HttpStatusCode.NoContent, await maren.StatusAsync(At(Form)));
    }

    [Fact]
    public async Task What_is_no_form_is_refused_and_the_oldest_of_many_go()
    {
        var tuva = await application.AsAsync("tuva");
        foreach (
            var (form, values) in new[]
            {
                ("", "{}"),
                (new string('x', 401), "{}"),
                ("f", "no values"),
                ("f", "[1]"),
                ("f", $"{{\"a\":[\"{new string('x', 200_001)}\"]}}"),
            }
        )
        {
            Assert.Equal(HttpStatusCode.BadRequest, await KeepAsync(tuva, form, values));
        }

        for (var at = 1; at <= UnsavedForm.MostForms + 3; at++)
        {
            await KeepAsync(tuva, $"form {at:00}", "{}");
        }

        var kept = await application.InStoreAsync(store =>
            store.UnsavedForms.OrderBy(row => row.Form).Select(row => row.Form).ToListAsync()
        );
        Assert.Equal(UnsavedForm.MostForms, kept.Count);
        Assert.DoesNotContain("form 03", kept);
        Assert.Contains("form 04", kept);
        using var nobody = await application.Anonymous().Client.GetAsync("/unsaved?form=f");
        Assert.Equal(HttpStatusCode.Redirect, nobody.StatusCode);
    }
}
