using System.Text;
using Buttonhook.Core;
using Buttonhook.Core.Images.Judging;

namespace Buttonhook.App.Images;

/// <summary>An inspection as plain lines for a terminal.</summary>
public static class InspectionText
{
    /// <summary>Partitions, kernel, system, consoles, and the dry boot link by link.</summary>
    public static string Of(Inspection i)
    {
        var text = new StringBuilder();
        text.AppendLine(
            $"{Sizes.Binary(i.ExpandedBytes)}{(i.Compression == "none" ? "" : $", packed as {i.Compression} in {Sizes.Binary(i.SizeBytes)}")}, partition table {i.PartitionTable}"
        );
        if (i.Nature is { } nature)
            text.AppendLine($"{nature.Says} {nature.Why} {nature.Instead}");
        foreach (var p in i.Partitions)
            text.AppendLine(
                $"  partition {p.Number}: {Sizes.Binary(p.LengthBytes)} {p.FileSystem ?? "no file system read"}{(p.Label is null ? "" : $" “{p.Label}”")}"
            );
        text.AppendLine($"System: {i.Os?.Name ?? "not told"}{(i.Architecture is { } set ? $", {set.Words()}" : "")}");
        text.AppendLine($"Kernel: {(i.Kernel is { } k ? $"{k.Path}{(k.Version is null ? "" : $", {k.Version}")}" : "not found")}");
        if (i.CommandLine is not null)
            text.AppendLine($"Command line: {i.CommandLine}");
        if (i.DeviceTrees.Count > 0)
            text.AppendLine($"Device trees: {i.DeviceTrees.Count}, such as {i.DeviceTrees[0].Model ?? i.DeviceTrees[0].Path}");
        text.AppendLine($"Smallest card: {Sizes.Binary(i.SmallestCardBytes)}; right is {i.RecommendedCardGb} GB");
        foreach (var loader in i.FirstLoaders)
            text.AppendLine($"First loader: {loader.Name} at byte {loader.AtBytes}");
        if (i.FirstBoot is { } first)
        {
            text.AppendLine(
                $"Users: {(first.Users.Count == 0 ? "none that can log in" : string.Join(", ", first.Users.Select(u => $"{u.Name} (password {u.Password}{(u.ChangeForced ? ", asks for a new one" : "")})")))}"
            );
            text.AppendLine($"Root grows at first boot: {first.GrowsBy ?? "nothing found that does it"}");
            if (first.SystemDate is { } day)
                text.AppendLine($"Put together on: {day}");
        }
        foreach (var note in i.Notes)
            text.AppendLine($"Note: {note}");
        if (i.DryBoot is not { } dry)
            return text.ToString().TrimEnd();
        text.AppendLine()
            .AppendLine(
                $"Dry boot: {(dry.Verdict switch { DryVerdict.Boots => "boots", DryVerdict.DoesNotBoot => "does not boot", _ => "cannot be told" })}"
            );
        foreach (var step in dry.Steps)
            text.AppendLine(
                $"  {(step.Result switch { LinkResult.Passed => "passed ", LinkResult.Failed => "FAILED ", _ => "unknown" })}  {step.Text}{(step.File is null ? "" : $" ({step.File})")}"
            );
        foreach (var cause in dry.Broken)
        {
            text.AppendLine($"  {cause.Cause}: {cause.Fix}");
            if (cause.Edit is { } edit)
                text.AppendLine(
                    $"    in p{edit.Partition}:{edit.Path}, line {(edit.Line == 0 ? "at the end" : edit.Line)}: {(edit.Before is null ? $"add {edit.After}" : edit.After.Length == 0 ? $"take {edit.Before} out" : $"{edit.Before} becomes {edit.After}")}"
                );
        }
        return text.ToString().TrimEnd();
    }
}
