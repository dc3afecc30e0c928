using System.Collections.Immutable;

namespace Rostrum.Core.Visuals;

/// <summary>A box of a diagram, in units of its own.</summary>
/// <param name="Text">What stands in it.</param>
/// <param name="X">Its left edge.</param>
/// <param name="Y">Its upper edge.</param>
/// <param name="Width">Its width.</param>
/// <param name="Height">Its height.</param>
public sealed record DiagramBox(string Text, double X, double Y, double Width, double Height);

/// <summary>A line from one box to another, with a word on it.</summary>
/// <param name="X1">Where it begins.</param>
/// <param name="Y1">Where it begins.</param>
/// <param name="X2">Where it ends.</param>
/// <param name="Y2">Where it ends.</param>
/// <param name="Text">The relation's name.</param>
/// <param name="TextX">The middle of the name.</param>
/// <param name="TextY">The foot of the name.</param>
/// <param name="ManyAtStart">Many records stand at its beginning.</param>
/// <param name="ManyAtEnd">Many records stand at its end.</param>
public sealed record DiagramLine(
    double X1,
    double Y1,
    double X2,
    double Y2,
    string Text,
    double TextX,
    double TextY,
    bool ManyAtStart,
    bool ManyAtEnd
);

/// <summary>A dataset in the middle, those to which it refers at the right, those that refer to it at the left.</summary>
/// <param name="Width">The diagram's width.</param>
/// <param name="Height">The diagram's height.</param>
/// <param name="Boxes">The boxes, that in the middle first.</param>
/// <param name="Lines">The lines.</param>
public sealed record RelationDiagram(double Width, double Height, ImmutableArray<DiagramBox> Boxes, ImmutableArray<DiagramLine> Lines)
{
    private const double BoxWidth = 150;
    private const double BoxHeight = 28;
    private const double Row = 44;
    private const double Gap = 190;

    /// <summary>Draws it: several relations between the same two boxes are several lines, and no two lines cover each other.</summary>
    /// <param name="centre">The dataset's label.</param>
    /// <param name="referring">For each relation that leads here: the other dataset's label, the name there, and whether many lead to
    /// one.</param>
    /// <param name="referred">For each relation that leads away: the other dataset's label, the name here, and whether several lead from
    /// one.</param>
    public static RelationDiagram Draw(
        string centre,
        IReadOnlyCollection<(string Dataset, string Name, bool Many)> referring,
        IReadOnlyCollection<(string Dataset, string Name, bool ManyToMany)> referred
    )
    {
        ArgumentNullException.ThrowIfNull(referring);
        ArgumentNullException.ThrowIfNull(referred);
        var rows = Math.Max(1, Math.Max(referring.Count, referred.Count));
        var height = (rows * Row) + 8;
        var (middleX, rightX) = (referring.Count > 0 ? BoxWidth + Gap : 4, (referring.Count > 0 ? BoxWidth + Gap : 4) + BoxWidth + Gap);
        var middle = new DiagramBox(centre, middleX, (height - BoxHeight) / 2, BoxWidth, BoxHeight);
        var boxes = ImmutableArray.CreateBuilder<DiagramBox>();
        var lines = ImmutableArray.CreateBuilder<DiagramLine>();
        boxes.Add(middle);
        foreach (var (relation, y) in Spread(referring, height))
        {
            var box = new DiagramBox(relation.Dataset, 4, y - (BoxHeight / 2), BoxWidth, BoxHeight);
            boxes.Add(box);
            lines.Add(Line(box.X + BoxWidth, y, middle.X, At(middle, y, height), relation.Name, relation.Many, false));
        }

        foreach (var (relation, y) in Spread(referred, height))
        {
            var box = new DiagramBox(relation.Dataset, rightX, y - (BoxHeight / 2), BoxWidth, BoxHeight);
            boxes.Add(box);
            lines.Add(Line(middle.X + BoxWidth, At(middle, y, height), box.X, y, relation.Name, true, relation.ManyToMany));
        }

        return new RelationDiagram(
            (referred.Count > 0 ? rightX : middleX) + BoxWidth + 4,
            height,
            boxes.ToImmutable(),
            lines.ToImmutable()
        );
    }

    private static IEnumerable<(T Relation, double Y)> Spread<T>(IReadOnlyCollection<T> relations, double height) =>
        relations.Select((relation, index) => (relation, height * (index + 0.5) / relations.Count));

    // Lines meet the middle box in the order in which they come, so that none crosses another.
    private static double At(DiagramBox middle, double y, double height) => middle.Y + 4 + ((middle.Height - 8) * y / height);

    private static DiagramLine Line(double x1, double y1, double x2, double y2, string name, bool manyAtStart, bool manyAtEnd) =>
        new(x1, y1, x2, y2, name, (x1 + x2) / 2, ((y1 + y2) / 2) - 4, manyAtStart, manyAtEnd);
}
