using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Matching;

/// <summary>Whether an image is made for this processor and this revision.</summary>
public static partial class Matcher
{
    private static IEnumerable<(Bearing, string)> InstructionSet(Pair p)
    {
        if (p.Model.InstructionSet is not { } own)
            yield return (
                Bearing.Unproven,
                $"Cannot tell without the board's processor: this kernel is for {p.Image.InstructionSet.Words()}. A device tree, or the first lines of a boot log, tell it."
            );
        else if (!own.Starts(p.Image.InstructionSet))
            yield return (Bearing.Stops, $"Kernel is for {p.Image.InstructionSet.Words()}, this board is {own.Words()}.");
    }

    private static IEnumerable<(Bearing, string)> Revision(Pair p)
    {
        if (p.Image.Supports.Count == 0)
            return ByTrees(p);
        var supported = p.Image.Supports.FirstOrDefault(s => s.Model == p.Model.Id);
        return supported is null ? ByMaker(p) : BySupport(p, supported);
    }

    private static IEnumerable<(Bearing, string)> BySupport(Pair p, Supported supported)
    {
        var known = string.Join(" and ", supported.Revisions);
        if (supported.Revisions.Contains(p.Board.RevisionId))
        {
            yield return (Bearing.Good, $"Device tree for revision {p.Board.RevisionId} on the image.");
            if (supported.Missing is { } missing)
                yield return (Bearing.Note, missing);
        }
        else if (supported.Otherwise is { } why)
            yield return (Bearing.Stops, $"Knows revision {known} only: {why}.");
        else
            yield return (Bearing.Unproven, $"Made for revision {known}; nobody has said that revision {p.Board.RevisionId} starts.");
    }

    private static IEnumerable<(Bearing, string)> ByMaker(Pair p)
    {
        var sibling = p
            .Image.Supports.Select(s => (Support: s, Model: p.Siblings.FirstOrDefault(m => m.Id == s.Model)))
            .FirstOrDefault(s => s.Model is not null);
        if (sibling.Model is null && p.Model.Processor is null)
            yield return (Bearing.Unproven, $"Cannot tell without the board's processor: made for {Names(p)}.");
        else if (sibling.Model is null)
            yield return (Bearing.Stops, $"Made for {Names(p)}; its loader does not know the {p.Model.Processor} processor.");
        else
            yield return (
                Bearing.Unproven,
                $"Made for {sibling.Model.Name}, which has the same processor. {sibling.Support.Missing ?? Missing(p.Model, sibling.Model)}"
            );
    }

    /// <summary>What the device trees on an inspected image mean for this revision.</summary>
    private static IEnumerable<(Bearing, string)> ByTrees(Pair p)
    {
        var revision = p.Model.Revision(p.Board.RevisionId);
        if (p.Image.InstructionSet == Core.InstructionSet.Amd64)
            yield return (Bearing.Good, "x86-64 boards describe themselves; no device tree is needed.");
        else if (p.Image.Trees is not { Count: > 0 } trees)
            yield return (Bearing.Unproven, "No device tree is on the image: it starts if this board's loader hands over its own.");
        else if (revision?.Compatible is { } exact && Has(trees, exact))
            yield return (Bearing.Good, $"Carries the device tree of this very revision ({exact}).");
        else if (
            p.Model.Revisions.LastOrDefault(r => r.Id != p.Board.RevisionId && r.Compatible is { } name && Has(trees, name)) is { } other
        )
            yield return (
                Bearing.Unproven,
                $"Carries the device tree of revision {other.Id} only. {(revision?.Changed is { } changed && OlderThan(p.Model, other.Id, p.Board.RevisionId) ? $"What changed since: {Lower(changed)}." : "Expect small things to be missing.")}"
            );
        else if (p.Siblings.FirstOrDefault(m => m.Revisions.Any(r => r.Compatible is { } name && Has(trees, name))) is { } sibling)
            yield return (
                Bearing.Unproven,
                $"Carries the device tree of {sibling.FullName}, which has the same processor. {Missing(p.Model, sibling)}"
            );
        else if (p.Model.Revisions.All(r => r.Compatible is null))
            yield return (
                Bearing.Unproven,
                $"Cannot tell without the board's device-tree name: {trees.Count} device {(trees.Count == 1 ? "tree is" : "trees are")} on the image. Choose the one that is called like the board."
            );
        else
            yield return (
                Bearing.Stops,
                trees.Count == 1
                    ? $"Its only device tree ({trees[0]}) is not for {p.Model.Name}, nor for another board with {(p.Model.Processor is { } one ? $"the {one} processor" : "its processor")}."
                    : $"None of its {trees.Count} device trees is for {p.Model.Name} or another board with {(p.Model.Processor is { } its ? $"the {its} processor" : "its processor")}."
            );
    }

    /// <summary>Names are kept in order, so that hundreds of trees are searched quickly.</summary>
    private static bool Has(IReadOnlyList<string> trees, string name)
    {
        int low = 0,
            high = trees.Count - 1;
        while (low <= high)
        {
            var middle = (low + high) / 2;
            var order = string.CompareOrdinal(trees[middle], name);
            if (order == 0)
                return true;
            if (order < 0)
                low = middle + 1;
            else
                high = middle - 1;
        }
        return false;
    }

    private static bool OlderThan(BoardProfile model, string one, string other)
    {
        var ids = model.Revisions.Select(r => r.Id).ToList();
        return ids.IndexOf(one) < ids.IndexOf(other);
    }

    private static string Lower(string text) => char.ToLowerInvariant(text[0]) + text[1..];

    /// <summary>What this board has and the other one lacks, so that its tree cannot describe it.</summary>
    private static string Missing(BoardProfile mine, BoardProfile other)
    {
        var lost = new List<string>();
        if (
            mine.VideoOutputs.Count > other.VideoOutputs.Count
            || (mine.VideoOutputs.Count > 0 && !mine.VideoOutputs.Select(v => v.Plug).SequenceEqual(other.VideoOutputs.Select(v => v.Plug)))
        )
            lost.Add("display");
        if (mine.Ports.Count(x => x.Kind == "ethernet") > other.Ports.Count(x => x.Kind == "ethernet"))
            lost.Add(other.Ports.Any(x => x.Kind == "ethernet") ? "second Ethernet socket" : "Ethernet");
        if (mine.Wireless is not null && other.Wireless is null)
            lost.Add("wireless");
        if (mine.FlashGb is not null && other.FlashGb is null)
            lost.Add("soldered flash");
        if (!mine.Lights.Select(l => l.Name).SequenceEqual(other.Lights.Select(l => l.Name)))
            lost.Add("the right lights");
        return lost.Count == 0 ? "Expect small things to be missing." : $"Expect to miss: {string.Join(", ", lost)}.";
    }

    private static string Names(Pair p) =>
        string.Join(" and ", p.Image.Supports.Take(3).Select(s => p.Catalogue.Model(s.Model)?.Name ?? s.Model).Distinct());
}
