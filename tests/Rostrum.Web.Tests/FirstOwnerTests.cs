using System.Net;
using Microsoft.EntityFrameworkCore;
using Rostrum.Web.People.Joining;

namespace Rostrum.Web.Tests;

/// <summary>Over a store without people, whoever has the link of the console becomes owner, once.</summary>
public sealed class FirstOwnerTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Fact]
    public async Task The_first_to_open_the_link_becomes_owner_and_no_link_is_made_after_that()
    {
        Assert.Null(await FirstOwner.LinkAsync(application.Services, CancellationToken.None));
        await application.InStoreAsync(store => store.Users.ExecuteDeleteAsync());
        var first = new Uri((await FirstOwner.LinkAsync(application.Services, CancellationToken.None))!).PathAndQuery;
        var link = new Uri((await FirstOwner.LinkAsync(application.Services, CancellationToken.None))!).PathAndQuery;
        var visitor = application.Anonymous();
        Assert.Contains("not valid", (await visitor.PageAsync(first)).Body!.TextContent, StringComparison.Ordinal);
        Assert.Contains("You are the first here", (await visitor.PageAsync(link)).Body!.TextContent, StringComparison.Ordinal);
        (string, string)[] typed = [("Name", "Wil Dorn"), ("UserName", "wil"), ("NewPassword", "green boat under snow")];
        using var without = await visitor.PostAsync(link, link, typed);
        Assert.Contains("Write your mail address.", (await Visitor.ParseAsync(without)).Body!.TextContent, StringComparison.Ordinal);
        using var joined = await visitor.PostAsync(link, link, [.. typed, ("Email", "wil@brackwater.example")]);
        Assert.Equal("/", joined.Headers.Location!.OriginalString);
        Assert.Equal(HttpStatusCode.OK, await visitor.StatusAsync("/people"));
        Assert.Equal(HttpStatusCode.OK, await visitor.StatusAsync("/build"));
        Assert.Null(await FirstOwner.LinkAsync(application.Services, CancellationToken.None));
    }
}
