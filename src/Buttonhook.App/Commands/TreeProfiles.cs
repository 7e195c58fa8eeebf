using System.Text.Json;
using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Identifying;

namespace Buttonhook.App.Commands;

/// <summary>The command that tells what the device trees of many sources say.</summary>
internal static class TreeProfiles
{
    /// <summary>Prints one object a tree, or lines to read; ends with 1 when a source gave none. What could not be read is told on the error stream.</summary>
    /// <param name="overlays">Files of overlays that are laid over each tree, in this order.</param>
    public static int Print(IReadOnlyList<string> sources, IReadOnlyList<string> overlays, bool json, CancellationToken token)
    {
        var over = new List<FoundTree>();
        foreach (var path in overlays)
        {
            var read = InputFiles.Bytes(path, "An overlay");
            if (read.Value is not { } blob)
            {
                Console.Error.WriteLine($"buttonhook: {read.Problem}");
                return 1;
            }
            over.Add(new(path, blob, null));
        }
        var all = new List<TreeFacts>();
        var failed = false;
        foreach (var source in sources)
        {
            var notes = new List<string>();
            var read = TreeSources.Facts(source, over, notes, token);
            foreach (var note in notes)
                Console.Error.WriteLine($"buttonhook: {note}");
            if (read.Value is { } facts)
                all.AddRange(facts);
            else
            {
                failed = true;
                Console.Error.WriteLine($"buttonhook: {read.Problem}");
            }
        }
        using var output = new StreamWriter(Console.OpenStandardOutput(), new System.Text.UTF8Encoding(false), 1 << 16);
        if (json)
            output.WriteLine(JsonSerializer.Serialize(all, Terminal.Indented));
        else
            foreach (var facts in all)
                Write(output, facts);
        return failed ? 1 : 0;
    }

    private static void Write(TextWriter output, TreeFacts facts)
    {
        output.WriteLine($"{facts.Model ?? "no model"} ({facts.Source})");
        output.WriteLine(
            $"  {facts.Architecture ?? "instruction set not told"}, {(facts.Compatible.Count > 0 ? facts.Compatible[0] : "no compatible name")}"
        );
        output.WriteLine(
            facts.Console is { } console
                ? $"  console {console.Device}{(console.Speed is { } speed ? $" at {speed} bits a second" : ", speed not told")}, from {console.From}"
                : "  console not told"
        );
        output.WriteLine($"  memory {(facts.MemoryMiB is { } memory ? Sizes.Memory(memory) : "not told")}");
        foreach (var group in facts.Media.GroupBy(m => m.Kind))
            output.WriteLine($"  {group.Key}: {string.Join(", ", group.Select(m => m.Device ?? m.From))}");
        foreach (var light in facts.Lights)
            output.WriteLine(
                $"  light {light.Name}{(light.Colour is { } colour ? $", {colour}" : "")}{(light.Meaning is { } meaning ? $": {meaning}" : "")}"
            );
        foreach (var group in facts.Ports.GroupBy(p => p.Kind))
            output.WriteLine($"  {group.Key}: {string.Join(", ", group.Select(p => p.Name))}");
        if (facts.Power is { } power)
            output.WriteLine($"  power, a hint: {power.HintVolts:0.##} V, {power.From}");
        output.WriteLine($"  not told: {string.Join("; ", facts.Unknown)}");
    }
}
