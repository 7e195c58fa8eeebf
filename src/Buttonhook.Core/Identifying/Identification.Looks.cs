namespace Buttonhook.Core.Identifying;

/// <summary>The look that tells most of what is still open.</summary>
public static partial class Identification
{
    /// <summary>What a board shows of which that is not known.</summary>
    private const string NotKnown = "not known";

    /// <summary>The answer when none of the offered ones is seen.</summary>
    public const string Nothing = "none";

    /// <summary>A thing to look at: its id (or the beginning of it), where it is, and what each board would show.</summary>
    private sealed record LookAt(string Id, Func<string, string> Where, Func<Hypothesis, string, string> Answer)
    {
        public bool Fits(string look) => Id.EndsWith(':') ? look.StartsWith(Id, StringComparison.Ordinal) : look == Id;
    }

    private static readonly List<LookAt> Looks =
    [
        new("mark:", id => id[5..], (h, id) => h.Revision.Where == id[5..] ? h.Revision.Mark ?? NotKnown : "nothing printed there"),
        new(
            "power",
            _ => "The power socket",
            (h, _) => h.Model.Power is { Connector: { } plug, Volts: { } volts } ? $"{plug}, {volts} V" : NotKnown
        ),
        new(
            "video",
            _ => "The video sockets",
            (h, _) => h.Model.VideoOutputs.Count == 0 ? "no video socket" : string.Join(" and ", h.Model.VideoOutputs.Select(v => v.Name))
        ),
        new("console", _ => "The console pins", (h, _) => h.Model.Console.Where ?? NotKnown),
        new(
            "network",
            _ => "The Ethernet sockets",
            (h, _) =>
                h.Model.Ports.Where(p => p.Kind == "ethernet").Select(p => p.Name).ToList() is { Count: > 0 } sockets
                    ? string.Join(" and ", sockets)
                    : "no Ethernet socket"
        ),
        new(
            "antenna",
            _ => "The antenna",
            (h, _) =>
                h.Model.Wireless is not { } radio ? "no antenna"
                : radio.Antenna is { } plug ? plug
                : "an antenna on the board"
        ),
        new(
            "lights",
            _ => "The lights, with power on",
            (h, _) =>
                h.Model.Lights.Select(l => l.Name).Distinct().Order(StringComparer.Ordinal).ToList() is { Count: > 0 } lights
                    ? string.Join(" and ", lights)
                    : "no light"
        ),
    ];

    /// <summary>The look whose answer is expected to take away most doubt (expected information, Shannon 1948).</summary>
    private static NextLook? Look(List<(Hypothesis Hypothesis, double Probability)> ranked, HashSet<string> done)
    {
        var left = ranked.TakeWhile(h => h.Probability >= SmallestShown).ToList();
        if (left.Count < 2)
            return null;
        var total = left.Sum(l => l.Probability);
        static double Entropy(IEnumerable<double> parts)
        {
            var list = parts.ToList();
            var sum = list.Sum();
            return list.Where(p => p > 0).Sum(p => -p / sum * Math.Log2(p / sum));
        }
        var before = Entropy(left.Select(l => l.Probability));
        var best = Looks
            .SelectMany(l =>
                l.Id == "mark:"
                    ? left.Select(x => x.Hypothesis.Revision.Where).OfType<string>().Distinct().Select(w => (Look: l, Id: "mark:" + w))
                    : [(Look: l, l.Id)]
            )
            .Where(l => !done.Contains(l.Id))
            .Select(l =>
            {
                var groups = left.GroupBy(x => l.Look.Answer(x.Hypothesis, l.Id)).ToList();
                var after = groups.Sum(g => g.Sum(x => x.Probability) / total * Entropy(g.Select(x => x.Probability)));
                return new NextLook(
                    l.Id,
                    l.Look.Where(l.Id),
                    [.. groups.Select(g => new LookAnswer(g.Key, [.. g.Select(x => Title(x.Hypothesis))]))],
                    Math.Round(before - after, 2)
                );
            })
            .MaxBy(l => l.Bits);
        return best is null || best.Bits < 0.05 ? null : best;
    }
}
