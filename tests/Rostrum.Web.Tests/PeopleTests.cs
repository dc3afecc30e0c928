using System.Net;
using AngleSharp.Dom;
using AngleSharp.Html.Dom;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Web.People.Account;
using Rostrum.Web.People.Joining;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.Tests;

/// <summary>People come in, have groups and roles, look after their accounts, and are let go.</summary>
public sealed class PeopleTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Invite = "/people/invitations";
    private const string Good = "green boat under snow";

    private async Task<string> PersonAsync(string signIn)
    {
        var id = await application.InStoreAsync(store =>
            store.Users.Where(person => person.UserName == signIn).Select(person => person.Id).SingleAsync()
        );
        return $"/people/{id:N}";
    }

    private static async Task<IDocument> SeenAsync(Task<HttpResponseMessage> asked)
    {
        using var answer = await asked;
        return await Visitor.ParseAsync(answer);
    }

    private static string Text(IDocument page) => page.Body!.TextContent;

    private static async Task<string> InvitedAsync(Visitor owner, string email, params (string, string)[] more)
    {
        var page = await SeenAsync(owner.PostAsync(Invite, Invite, [("lines", email), .. more]));
        return new Uri(page.QuerySelector(".links input")!.GetAttribute("value")!).PathAndQuery;
    }

    // A form as it stands, with some fields otherwise.
    private static (string, string)[] Filled(IDocument page, string form, params (string Name, string? Value)[] changed)
    {
        var fields = ((IHtmlFormElement)page.QuerySelector(form)!)
            .Elements.OfType<IHtmlInputElement>()
            .Where(input => input.Type is not "checkbox" || input.IsChecked)
            .Where(input => !string.IsNullOrEmpty(input.Name) && input.Name != "__RequestVerificationToken")
            .Select(input => (input.Name!, input.Value))
            .Where(field => changed.All(other => other.Name != field.Item1 || field.Item1 == "role"))
            .Where(field => !changed.Contains(("-" + field.Item1, field.Item2)));
        return [.. fields, .. changed.Where(field => field.Name[0] != '-').Select(field => (field.Name, field.Value!))];
    }

    [Fact]
    public async Task Attributes_of_many_people_are_set_from_rows_and_what_it_means_is_said_before()
    {
        const string Import = "/people/attributes/import";
        var oskar = await application.AsAsync("oskar");
        Task<string?> PortAsync(string name) =>
            application.InStoreAsync(async store =>
                (await store.Users.AsNoTracking().SingleAsync(row => row.UserName == name)).Attributes.GetValueOrDefault("port")
            );
        async Task<AngleSharp.Dom.IDocument> SendAsync(string lines, string sure = "")
        {
            using var answer = await oskar.PostAsync(Import, Import, ("lines", lines), ("sure", sure));
            return await Visitor.ParseAsync(answer);
        }

        var wrong = await SendAsync("mail;Port;Depot\njon@brackwater.example;BRW;x\nnobody@brackwater.example;SKS;y\njon;SKS;z");
        Assert.Equal(
            ["There is no attribute “Depot”.", "Row 3: nobody is “nobody@brackwater.example”.", "Row 4: a row before it is of “jon”."],
            wrong.QuerySelectorAll(".alert-danger li").Select(line => line.TextContent)
        );
        Assert.Equal("SKS", await PortAsync("jon"));

        const string Rows = "sign-in name\tPort\nJON\tBRW\npia\t\n";
        var shown = await SendAsync(Rows);
        Assert.Equal(
            "Jon Ness Port SKS BRW",
            string.Join(' ', shown.QuerySelectorAll("tbody tr").Single().Children.Select(cell => cell.TextContent))
        );
        Assert.Contains("Jon Ness", shown.QuerySelector(".consequences")!.TextContent, StringComparison.Ordinal);
        Assert.Equal("SKS", await PortAsync("jon"));
        var done = await SendAsync(Rows, shown.QuerySelector("input[name=sure]")!.GetAttribute("value")!);
        Assert.Contains("Set for 1 person", done.QuerySelector(".alert-success")!.TextContent, StringComparison.Ordinal);
        Assert.Equal(("BRW", "BRW"), (await PortAsync("jon"), await PortAsync("pia")));
        using (await oskar.PostAsync(Import, Import, ("lines", "mail,port\njon@brackwater.example,SKS"))) { }
        Assert.Equal("BRW", await PortAsync("jon"));
        Assert.Equal(HttpStatusCode.Forbidden, await (await application.AsAsync("bea")).StatusAsync(Import));
        await application.InStoreAsync(async store =>
        {
            var jon = await store.Users.SingleAsync(row => row.UserName == "jon");
            jon.Attributes = jon.Attributes.SetItem("port", "SKS");
            return await store.SaveChangesAsync();
        });
    }

    [Fact]
    public async Task An_invitation_comes_by_mail_makes_one_person_with_its_roles_and_is_then_worth_nothing()
    {
        var oskar = await application.AsAsync("oskar");
        var link = await InvitedAsync(oskar, "sif@brackwater.example, Sif Lund", ("role", "engineer"), ("role", "no such role"));
        await application.SendMailAsync();
        var mail = application.Post.Received.Single(mail => mail.To == "sif@brackwater.example").Text;
        Assert.Contains($"http://rostrum.example{link}", mail, StringComparison.Ordinal);
        Assert.Contains("Subject: Oskar Lind invites you to Rostrum", mail, StringComparison.Ordinal);
        Assert.Equal(
            "",
            await application.InStoreAsync(store =>
                store.OutgoingMails.Where(sent => sent.Address == "sif@brackwater.example").Select(sent => sent.Text).SingleAsync()
            )
        );

        var sif = application.Anonymous();
        var form = await sif.PageAsync(link);
        Assert.Equal(
            ("Sif Lund", "sif"),
            (form.QuerySelector("#Name")!.GetAttribute("value"), form.QuerySelector("#UserName")!.GetAttribute("value"))
        );
        Task<IDocument> JoinAsync(string name, string password) =>
            SeenAsync(sif.PostAsync(link, link, ("Name", "Sif Lund"), ("UserName", name), ("NewPassword", password)));
        Assert.Contains("at least 12 characters", Text(await JoinAsync("sif", "short")), StringComparison.Ordinal);
        Assert.Contains("tried first", Text(await JoinAsync("sif", "Password12345!")), StringComparison.Ordinal);
        Assert.Contains("is already taken", Text(await JoinAsync("maren", Good)), StringComparison.Ordinal);
        using var joined = await sif.PostAsync(link, link, ("Name", "Sif Lund"), ("UserName", "sif"), ("NewPassword", Good));
        Assert.Equal("/", joined.Headers.Location!.OriginalString);
        Assert.Contains("Maintenance", Text(await sif.PageAsync("/")), StringComparison.Ordinal);
        Assert.Contains("not valid", Text(await application.Anonymous().PageAsync(link)), StringComparison.Ordinal);
        Assert.Contains("Engineer", Text(await oskar.PageAsync("/people?q=sif")), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Two_who_accept_one_invitation_at_once_are_one_person()
    {
        var oskar = await application.AsAsync("oskar");
        var link = await InvitedAsync(oskar, "twice@brackwater.example");
        var answers = await Task.WhenAll(
            Enumerable
                .Range(0, 4)
                .Select(async number =>
                {
                    var visitor = application.Anonymous();
                    using var answer = await visitor.PostAsync(
                        link,
                        link,
                        ("Name", "Twice"),
                        ("UserName", $"twice{number}"),
                        ("NewPassword", Good)
                    );
                    return answer.StatusCode;
                })
        );
        Assert.Single(answers, HttpStatusCode.Redirect);
        Assert.Equal(
            1,
            await application.InStoreAsync(store => store.Users.CountAsync(person => person.Email == "twice@brackwater.example"))
        );
    }

    [Fact]
    public async Task Invitations_that_are_expired_withdrawn_or_renewed_are_not_valid_and_nonsense_invites_nobody()
    {
        var oskar = await application.AsAsync("oskar");
        async Task<bool> IsValidAsync(string link) =>
            !Text(await application.Anonymous().PageAsync(link)).Contains("not valid", StringComparison.Ordinal);
        var link = await InvitedAsync(oskar, "late@brackwater.example");
        Assert.True(await IsValidAsync(link));
        Assert.False(await IsValidAsync(link + "x"));
        var row = (await oskar.PageAsync(Invite))
            .QuerySelectorAll("tbody tr")
            .Single(row => row.TextContent.Contains("late@", StringComparison.Ordinal));
        var again = await SeenAsync(oskar.PostAsync(Invite, row.QuerySelector("button")!.GetAttribute("formaction")!));
        Assert.False(await IsValidAsync(link));
        link = new Uri(again.QuerySelector(".links input")!.GetAttribute("value")!).PathAndQuery;
        Assert.True(await IsValidAsync(link));
        await application.InStoreAsync(store =>
            store
                .Invitations.Where(open => open.Email == "late@brackwater.example")
                .ExecuteUpdateAsync(set => set.SetProperty(open => open.Ends, DateTimeOffset.UtcNow))
        );
        Assert.False(await IsValidAsync(link));
        Assert.Contains("expired", Text(await oskar.PageAsync(Invite)), StringComparison.Ordinal);
        using var withdrawn = await oskar.PostAsync(Invite, row.QuerySelectorAll("button")[1].GetAttribute("formaction")!);
        Assert.DoesNotContain("late@", Text(await oskar.PageAsync(Invite)), StringComparison.Ordinal);

        foreach (
            var (lines, says) in new[]
            {
                ("", "Write at least one mail address."),
                ("good@brackwater.example\nnot an address", "“not an address” is no mail address. Nobody was invited."),
                ("MAREN@brackwater.example", "Maren Vik (maren@brackwater.example) has joined already."),
            }
        )
        {
            Assert.Contains(says, Text(await SeenAsync(oskar.PostAsync(Invite, Invite, ("lines", lines)))), StringComparison.Ordinal);
        }

        Assert.False(await application.InStoreAsync(store => store.Invitations.AnyAsync(open => open.Email == "good@brackwater.example")));
    }

    [Fact]
    public async Task Mail_that_cannot_be_sent_is_sent_later_and_the_owner_sees_it()
    {
        var oskar = await application.AsAsync("oskar");
        application.Post.IsBusy = true;
        await InvitedAsync(oskar, "patient@brackwater.example");
        await application.SendMailAsync();
        Assert.Contains("mail not sent yet: come back later", Text(await oskar.PageAsync(Invite)), StringComparison.Ordinal);
        application.Post.IsBusy = false;
        await application.InStoreAsync(store =>
            store.OutgoingMails.ExecuteUpdateAsync(set => set.SetProperty(mail => mail.Due, DateTimeOffset.UtcNow.AddSeconds(-1)))
        );
        await application.SendMailAsync();
        Assert.Single(application.Post.Received, mail => mail.To == "patient@brackwater.example");
        Assert.DoesNotContain("mail not sent yet", Text(await oskar.PageAsync(Invite)), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Mail_goes_by_itself()
    {
        const string Soon = "soon@brackwater.example";
        await InvitedAsync(await application.AsAsync("oskar"), Soon);
        using var stop = new CancellationTokenSource(TimeSpan.FromSeconds(30));
        var sender = application.Services.GetRequiredService<MailSender>();
        await sender.StartAsync(stop.Token);
        while (
            await application.InStoreAsync(store =>
                store.OutgoingMails.AnyAsync(mail => mail.SentAt == null && mail.Address == Soon, stop.Token)
            )
        )
        {
            await Task.Delay(100, stop.Token);
        }

        await sender.StopAsync(CancellationToken.None);
        Assert.Single(application.Post.Received, mail => mail.To == Soon);
    }

    [Fact]
    public async Task Mail_that_was_sent_when_a_node_stops_is_not_sent_again()
    {
        var oskar = await application.AsAsync("oskar");
        string[] many = [.. Enumerable.Range(1, 12).Select(number => $"one{number}@brackwater.example")];
        await InvitedAsync(oskar, string.Join('\n', many));
        using var stop = new CancellationTokenSource();
        var sending = application.Services.GetRequiredService<MailSender>().SendDueAsync(stop.Token);
        while (application.Post.Received.All(mail => mail.To != many[0]))
        {
            await Task.Delay(1);
        }

        await stop.CancelAsync();
        await Record.ExceptionAsync(() => sending);
        await application.SendMailAsync();
        Assert.Equal(many, application.Post.Received.Select(mail => mail.To).Where(many.Contains));
    }

    [Fact]
    public async Task What_a_person_gains_and_loses_is_counted_before_it_is_saved_and_holds_at_once()
    {
        var oskar = await application.AsAsync("oskar");
        var jon = await application.AsAsync("jon");
        var address = await PersonAsync("jon");
        var page = await oskar.PageAsync(address);
        Assert.Contains("view, change", page.QuerySelector("[aria-labelledby=may]")!.TextContent, StringComparison.Ordinal);
        var wanted = Filled(page, "main form", ("-role", "port-agent"), ("role", "clerk"));
        var looked = await SeenAsync(oskar.PostAsync(address, address, wanted));
        var lines = looked.QuerySelectorAll(".consequences li").Select(line => line.TextContent).ToArray();
        var own = await application.FleetScalarAsync(
            "SELECT to_char(count(*), 'FM999,999') FROM sailings JOIN routes ON code = route_code "
                + "WHERE 'SKS' IN (origin_port, destination_port)"
        );
        Assert.Contains(lines, line => line.StartsWith($"Jon Ness may no longer view {own} sailings, such as “", StringComparison.Ordinal));
        Assert.Contains("Jon Ness may now add and change fuel logs, and read their notes and run actions on them.", lines);
        Assert.Contains("Maintenance opens Fuel logs to Jon Ness.", lines);
        Assert.Contains("port-agent", (await application.InStoreAsync(store => RolesAsync(store, "jon")))!);

        using var saved = await oskar.PostAsync(address, address, Filled(looked, "main form"));
        Assert.Equal(HttpStatusCode.Redirect, saved.StatusCode);
        Assert.Equal(["clerk"], await application.InStoreAsync(store => RolesAsync(store, "jon")));
        Assert.Equal(HttpStatusCode.Forbidden, await jon.StatusAsync("/apps/timetable/sailings"));
        Assert.Equal(HttpStatusCode.OK, await jon.StatusAsync("/apps/maintenance/fuel_logs"));
    }

    private static async Task<string[]> RolesAsync(Store.RostrumStore store, string signIn) =>
        await (
            from person in store.Users
            from held in store.UserRoles
            from role in store.Roles
            where person.UserName == signIn && held.UserId == person.Id && role.Id == held.RoleId
            select role.Name
        ).ToArrayAsync();

    [Fact]
    public async Task A_group_gives_its_roles_formulas_know_it_and_its_end_takes_them_away()
    {
        var oskar = await application.AsAsync("oskar");
        using var made = await oskar.PostAsync("/people/groups", "/people/groups", ("label", "Night watch"));
        var group = made.Headers.Location!.OriginalString;
        Assert.Equal("/people/groups/night_watch", group);
        Assert.Contains(
            "There is a group “night WATCH” already.",
            Text(await SeenAsync(oskar.PostAsync("/people/groups", "/people/groups", ("label", "night WATCH")))),
            StringComparison.Ordinal
        );
        using var roles = await oskar.PostAsync(group, group, ("label", "Night watch"), ("role", "clerk"));
        Assert.Equal(HttpStatusCode.Redirect, roles.StatusCode);

        var aud = await PersonAsync("aud");
        var looked = await SeenAsync(oskar.PostAsync(aud, aud, Filled(await oskar.PageAsync(aud), "main form", ("group", "night_watch"))));
        Assert.Contains(
            "Aud Falk may now add and change fuel logs, and run actions on them.",
            looked.QuerySelectorAll(".consequences li").Select(line => line.TextContent)
        );
        using var saved = await oskar.PostAsync(aud, aud, Filled(looked, "main form"));
        Assert.Equal(HttpStatusCode.Redirect, saved.StatusCode);
        Assert.Contains("by Night watch", Text(await oskar.PageAsync(aud)), StringComparison.Ordinal);
        Assert.Contains("Aud Falk", Text(await oskar.PageAsync("/people?group=night_watch")), StringComparison.Ordinal);

        var workspace = await application.Services.GetWorkspaceAsync();
        var names = workspace.People.Values.Single(person => person.Name == "Aud Falk").AsUser;
        Assert.Equal("night_watch", Assert.Single(names.Groups));
        Assert.Contains("clerk", names.Roles);

        var changes = await SeenAsync(oskar.PostAsync(group, group, ("label", "Night watch")));
        Assert.Contains(
            "Aud Falk may no longer add and change fuel logs, and run actions on them.",
            changes.QuerySelectorAll(".consequences li").Select(line => line.TextContent)
        );
        using var removed = await oskar.PostAsync(group, group + "?handler=Remove");
        var after = (await application.Services.GetWorkspaceAsync()).People.Values.Single(person => person.Name == "Aud Falk");
        Assert.DoesNotContain("clerk", after.Roles.AsEnumerable());
    }

    [Fact]
    public async Task Whoever_is_deactivated_is_out_at_once_and_the_last_owner_stays()
    {
        var oskar = await application.AsAsync("oskar");
        var tuva = await application.AsAsync("tuva");
        Assert.Equal(HttpStatusCode.OK, await tuva.StatusAsync("/apps/maintenance/defects"));
        var address = await PersonAsync("tuva");
        Assert.Contains(
            "a program",
            (await oskar.PageAsync(address)).QuerySelector("[aria-labelledby=sessions]")!.TextContent,
            StringComparison.Ordinal
        );
        using var away = await oskar.PostAsync(address, address + "?handler=Deactivate");
        Assert.Equal(HttpStatusCode.Redirect, await tuva.StatusAsync("/apps/maintenance/defects"));
        var refused = await SeenAsync(
            application.Anonymous().PostAsync("/sign-in", "/sign-in", ("UserName", "tuva"), ("Password", Demo.DemoLoader.Password))
        );
        Assert.Contains("Wrong name or password.", Text(refused), StringComparison.Ordinal);
        using var back = await oskar.PostAsync(address, address + "?handler=Reactivate");
        await application.AsAsync("tuva");

        var own = await PersonAsync("oskar");
        Assert.Contains(
            "This is the last owner.",
            Text(await SeenAsync(oskar.PostAsync(own, own + "?handler=Deactivate"))),
            StringComparison.Ordinal
        );
        var less = await SeenAsync(oskar.PostAsync(own, own, Filled(await oskar.PageAsync(own), "main form", ("-role", "owner"))));
        Assert.Contains("This is the last owner.", Text(less), StringComparison.Ordinal);
        foreach (var path in new[] { "/people", address, "/people/groups", "/people/attributes", Invite })
        {
            Assert.Equal(HttpStatusCode.Forbidden, await (await application.AsAsync("bea")).StatusAsync(path));
        }
    }

    [Fact]
    public async Task A_refused_page_offers_a_link_at_which_an_owner_reads_why()
    {
        var clem = await application.AsAsync("clem");
        var oskar = await application.AsAsync("oskar");
        async Task<string> WhyAsync(string refused)
        {
            var link = new Uri(
                (await clem.PageAsync(refused, HttpStatusCode.Forbidden)).QuerySelector("#explained")!.GetAttribute("value")!
            );
            Assert.Equal(HttpStatusCode.Forbidden, await clem.StatusAsync(link.PathAndQuery));
            return Text(await oskar.PageAsync(link.PathAndQuery));
        }

        var why = await WhyAsync("/apps/timetable/sailings");
        Assert.Contains(
            "Clem Moe has the role Clerk.",
            string.Join(' ', why.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries)),
            StringComparison.Ordinal
        );
        Assert.Contains("Timetable, page Sailings: visible to Auditor, Builder", why, StringComparison.Ordinal);
        Assert.Contains("Clem Moe has none of these roles, so it is not open.", why, StringComparison.Ordinal);
        Assert.Contains(
            "“Build apps”, which Builder, Owner have. Clem Moe does not have it.",
            await WhyAsync("/build"),
            StringComparison.Ordinal
        );
        Assert.Equal(HttpStatusCode.NotFound, await oskar.StatusAsync($"/people/explain?person={Guid.NewGuid()}&path=%2Fbuild"));
    }

    [Fact]
    public async Task A_second_factor_is_turned_on_asked_for_once_a_code_and_replaced_by_a_recovery_code()
    {
        var clem = await application.AsAsync("clem");
        var key = (await clem.PageAsync("/account")).QuerySelector("#second ~ .second-factor code")!.TextContent;
        Assert.Contains(
            "not right",
            Text(await SeenAsync(clem.PostAsync("/account", "/account?handler=On", ("code", "000000")))),
            StringComparison.Ordinal
        );
        var first = Totp.Code(key, DateTimeOffset.UtcNow);
        var on = await SeenAsync(clem.PostAsync("/account", "/account?handler=On", ("code", first)));
        var codes = on.QuerySelectorAll(".recovery-codes code").Select(code => code.TextContent).ToArray();
        Assert.Equal(8, codes.Length);

        async Task<Visitor> HalfwayAsync()
        {
            var visitor = application.Anonymous();
            using var asked = await visitor.PostAsync(
                "/sign-in",
                "/sign-in?returnUrl=%2Faccount",
                ("UserName", "clem"),
                ("Password", Demo.DemoLoader.Password),
                ("ReturnUrl", "/account")
            );
            Assert.Equal("/sign-in/code?returnUrl=%2Faccount", asked.Headers.Location!.OriginalString);
            Assert.Equal(HttpStatusCode.Redirect, await visitor.StatusAsync("/apps/maintenance/fuel_logs"));
            return visitor;
        }

        const string Code = "/sign-in/code";
        var again = await HalfwayAsync();
        Assert.Contains("was used already", Text(await SeenAsync(again.PostAsync(Code, Code, ("Code", first)))), StringComparison.Ordinal);
        using var next = await again.PostAsync(
            Code,
            Code + "?returnUrl=%2F%2Felsewhere.example",
            ("Code", Totp.Code(key, DateTimeOffset.UtcNow.AddSeconds(30)))
        );
        Assert.Equal("/", next.Headers.Location!.OriginalString);
        Assert.Equal(HttpStatusCode.OK, await again.StatusAsync("/apps/maintenance/fuel_logs"));

        var without = await HalfwayAsync();
        using var recovered = await without.PostAsync(Code, Code, ("Code", codes[0].ToLowerInvariant()));
        Assert.Equal(HttpStatusCode.Redirect, recovered.StatusCode);
        var twice = await HalfwayAsync();
        Assert.Contains("not right", Text(await SeenAsync(twice.PostAsync(Code, Code, ("Code", codes[0])))), StringComparison.Ordinal);
        for (var tries = 0; tries < 5; tries++)
        {
            using var guess = await twice.PostAsync(Code, Code, ("Code", "123456"));
        }

        Assert.Contains(
            "Too many attempts.",
            Text(await SeenAsync(twice.PostAsync(Code, Code, ("Code", codes[1])))),
            StringComparison.Ordinal
        );
        var oskar = await application.AsAsync("oskar");
        using var off = await oskar.PostAsync(await PersonAsync("clem"), await PersonAsync("clem") + "?handler=Factor");
        await application.AsAsync("clem");
    }

    [Fact]
    public async Task A_role_that_asks_for_a_second_factor_opens_nothing_but_the_account_without_one()
    {
        var oskar = await application.AsAsync("oskar");
        using var demanded = await oskar.GrantAsync("/people/roles/superintendent", ("label", "Marine superintendent"), ("second", "yes"));
        var maren = await application.AsAsync("maren");
        using var sent = await maren.Client.GetAsync("/apps/maintenance/defects");
        Assert.Equal("/account", sent.Headers.Location!.OriginalString);
        var account = await maren.PageAsync("/account");
        Assert.Contains("Your role asks for a second factor.", Text(account), StringComparison.Ordinal);
        var key = account.QuerySelector("#second ~ .second-factor code")!.TextContent;
        using var on = await maren.PostAsync("/account", "/account?handler=On", ("code", Totp.Code(key, DateTimeOffset.UtcNow)));
        Assert.Equal(HttpStatusCode.OK, await maren.StatusAsync("/apps/maintenance/defects"));
        using var free = await oskar.GrantAsync("/people/roles/superintendent", ("label", "Marine superintendent"));
    }

    [Fact]
    public async Task A_forgotten_password_is_set_anew_by_a_link_that_counts_once_and_nobody_learns_who_is_there()
    {
        var known = await SeenAsync(application.Anonymous().PostAsync("/forgot", "/forgot", ("Email", "egil@brackwater.example")));
        var unknown = await SeenAsync(application.Anonymous().PostAsync("/forgot", "/forgot", ("Email", "nobody@brackwater.example")));
        Assert.Equal(known.QuerySelector("main")!.InnerHtml, unknown.QuerySelector("main")!.InnerHtml);
        await application.SendMailAsync();
        Assert.DoesNotContain(application.Post.Received, mail => mail.To == "nobody@brackwater.example");
        var text = application.Post.Received.First(mail => mail.To == "egil@brackwater.example").Text.ReplaceLineEndings("\n");
        var link = text[text.IndexOf("/new-password", StringComparison.Ordinal)..].Split('\n')[0];
        var egil = await application.AsAsync("egil");
        var visitor = application.Anonymous();
        var form = Filled(await visitor.PageAsync(link), "main form", ("NewPassword", Good));
        using var set = await visitor.PostAsync(link, "/new-password", form);
        Assert.Equal("/sign-in", set.Headers.Location!.OriginalString);
        Assert.Equal(HttpStatusCode.Redirect, await egil.StatusAsync("/apps/maintenance/defects"));
        Assert.Contains("not valid", Text(await visitor.PageAsync(link)), StringComparison.Ordinal);
        using var signedIn = await visitor.PostAsync("/sign-in", "/sign-in", ("UserName", "egil"), ("Password", Good));
        Assert.Equal(HttpStatusCode.Redirect, signedIn.StatusCode);
    }

    [Fact]
    public async Task Ones_own_password_is_changed_with_the_old_one_and_ends_the_other_sessions()
    {
        var here = await application.AsAsync("pia");
        var there = await application.AsAsync("pia");
        Task<IDocument> ChangeAsync(string current, string wanted) =>
            SeenAsync(here.PostAsync("/account", "/account?handler=Password", ("current", current), ("newPassword", wanted)));
        Assert.Contains("current password is not right", Text(await ChangeAsync("wrong", Good)), StringComparison.Ordinal);
        Assert.Contains(
            "your own name",
            Text(await ChangeAsync(Demo.DemoLoader.Password, "pia-sund-sund-pia".Replace("-", "", StringComparison.Ordinal))),
            StringComparison.Ordinal
        );
        using var changed = await here.PostAsync(
            "/account",
            "/account?handler=Password",
            ("current", Demo.DemoLoader.Password),
            ("newPassword", Good)
        );
        Assert.Equal(HttpStatusCode.Redirect, changed.StatusCode);
        Assert.Equal(HttpStatusCode.OK, await here.StatusAsync("/account"));
        Assert.Equal(HttpStatusCode.Redirect, await there.StatusAsync("/account"));
        var notices = await application.InStoreAsync(store =>
            store.OutgoingMails.Where(mail => mail.Address == "pia@brackwater.example").Select(mail => mail.Subject).ToListAsync()
        );
        Assert.Contains("Your account in Rostrum was changed", notices);
    }

    [Fact]
    public async Task People_are_invited_from_a_file_with_whatever_its_columns_are_called()
    {
        var oskar = await application.AsAsync("oskar");
        var page = await oskar.PageAsync("/people/invitations");
        var token = page.QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
        using var form = new MultipartFormDataContent
        {
            { new StringContent(token), "__RequestVerificationToken" },
            { new StringContent("clerk"), "role" },
            { new StringContent("Name;Mail\r\n\"Ask Vold\";ask@files.example\r\nEmbla Rud;embla@files.example\r\n"), "file", "people.csv" },
        };
        using var answer = await oskar.Client.PostAsync("/people/invitations", form);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        var made = await application.InStoreAsync(store =>
            store
                .Invitations.Where(invitation => invitation.Email.EndsWith("@files.example"))
                .OrderBy(invitation => invitation.Email)
                .Select(invitation => $"{invitation.Email} {invitation.Name} {string.Join(",", invitation.Roles)}")
                .ToListAsync()
        );
        Assert.Equal(["ask@files.example Ask Vold clerk", "embla@files.example Embla Rud clerk"], made);
    }

    [Theory]
    [InlineData("harbour-light-42", true)]
    [InlineData("correct horse battery", true)]
    [InlineData("elevenchars", false)]
    [InlineData("123456789012", false)]
    [InlineData("aaaaaaaaaaaa", false)]
    [InlineData("QwertyQwerty1", false)]
    [InlineData("2026!password!", false)]
    [InlineData("abcdefghijklmn", false)]
    [InlineData("marenmaren12", false)]
    [InlineData("ørret på en øy", true)]
    public void A_password_is_long_and_none_that_everybody_knows(string password, bool isGood) =>
        Assert.Equal(isGood, PasswordRules.Problem(password, ["maren", "Maren Vik"]) is null);

    [Theory]
    [InlineData(128, true)]
    [InlineData(129, false)]
    public void A_password_is_taken_whole_or_not_at_all(int length, bool isGood)
    {
        var words = string.Concat(Enumerable.Range(0, 20).Select(at => $"boat {at * 37} "))[..length];
        Assert.Equal(isGood, PasswordRules.Problem(words, ["maren"]) is null);
    }

    [Theory]
    [InlineData("maren@example.com", true)]
    [InlineData("maren@example", false)]
    [InlineData("Maren <maren@example.com>", false)]
    [InlineData("maren@example.com\r\nBcc: all@example.com", false)]
    [InlineData("two words@example.com", false)]
    public void A_mail_address_is_one_and_nothing_else(string text, bool isOne) => Assert.Equal(isOne, MailAddress.IsOne(text));
}
