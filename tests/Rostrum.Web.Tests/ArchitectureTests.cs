using System.Reflection;
using NetArchTest.Rules;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

public sealed class ArchitectureTests
{
    // Packages that only compute.
    private static readonly string[] Pure = ["Cronos", "YamlDotNet"];

    private static readonly Assembly Core = typeof(Dataset).Assembly;
    private static readonly Assembly Sources = typeof(RecordGate).Assembly;
    private static readonly Assembly Store = typeof(RostrumStore).Assembly;
    private static readonly Assembly Web = typeof(Program).Assembly;

    private static string[] References(Assembly assembly) =>
        [
            .. assembly
                .GetReferencedAssemblies()
                .Select(name => name.Name!)
                .Where(name => name.StartsWith("Rostrum", StringComparison.Ordinal))
                .Order(),
        ];

    [Fact]
    public void References_run_one_way()
    {
        Assert.Empty(References(Core));
        Assert.Equal(["Rostrum.Core"], References(Sources));
        Assert.Equal(["Rostrum.Core"], References(Store));
        Assert.Equal(["Rostrum.Core", "Rostrum.Sources", "Rostrum.Store"], References(Web));
    }

    [Fact]
    public void Core_needs_nothing_but_the_base_library_and_reaches_no_disk_network_or_clock()
    {
        Assert.All(Core.GetReferencedAssemblies(), name =>
            Assert.True(name.Name!.StartsWith("System", StringComparison.Ordinal) || Pure.Contains(name.Name), name.Name)
        );
        var reached = Types
            .InAssembly(Core)
            .ShouldNot()
            .HaveDependencyOnAny("System.IO.File", "System.Net.Http", "System.Net.Sockets", "System.Data", "Microsoft.AspNetCore")
            .GetResult();
        Assert.True(reached.IsSuccessful, string.Join(", ", reached.FailingTypeNames ?? []));
    }

    [Fact]
    public void Nothing_outside_Sources_talks_to_a_database_driver_but_the_store_with_its_own_records()
    {
        var web = Types.InAssembly(Web).ShouldNot().HaveDependencyOnAny("Npgsql", "Dapper", "Rostrum.Sources.Postgres").GetResult();
        Assert.True(web.IsSuccessful, string.Join(", ", web.FailingTypeNames ?? []));
        Assert.DoesNotContain("Rostrum.Sources", References(Store));
    }

    [Fact]
    public void The_gate_is_the_only_public_way_to_records()
    {
        // Whatever is called a result may hold records, but for what is said of a source's structure.
        Type[] holdsRecords =
        [
            typeof(Core.Datasets.Record),
            .. Sources
                .GetExportedTypes()
                .Where(type => !type.IsNested && type.Name.EndsWith("Result", StringComparison.Ordinal) && type != typeof(StructureResult)),
        ];
        var handsOut =
            from type in Sources.GetExportedTypes()
            from method in type.GetMethods(BindingFlags.Public | BindingFlags.Instance | BindingFlags.Static | BindingFlags.DeclaredOnly)
            where !method.IsSpecialName && Mentions(method.ReturnType, holdsRecords)
            where !holdsRecords.Any(result => result.IsAssignableFrom(type))
            select type;
        Assert.Equal([typeof(RecordGate)], handsOut.Distinct());
        var opened = Types.InAssembly(Sources).That().HaveDependencyOn("Npgsql").And().ArePublic().GetTypes().Select(type => type.Name);

        // Builders make and alter own tables past the gate: of records it says only which values a change of type would lose.
        Assert.Subset(
            new HashSet<string> { nameof(RecordGate), nameof(SourceConnector), nameof(Rostrum.Sources.Own.OwnTableStore) },
            opened.ToHashSet(StringComparer.Ordinal)
        );
    }

    private static bool Mentions(Type type, Type[] wanted) =>
        wanted.Any(candidate => candidate.IsAssignableFrom(type)) || type.GetGenericArguments().Any(argument => Mentions(argument, wanted));
}
