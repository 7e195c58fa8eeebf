using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Keeping;

/// <summary>Something that a log and the bench say differently.</summary>
/// <param name="What">What it is about: Board, Processor, Memory, Host name, Kernel, Root, Address, Time zone, Locale, Keyboard or Medium.</param>
/// <param name="Says">Both sides in one sentence.</param>
public sealed record Contradiction(string What, string Says);

/// <summary>Where a log and the bench say different things: to be looked at before settings are kept.</summary>
public static class Contradictions
{
    /// <summary>The contradictions with both sides; what one side does not say contradicts nothing.</summary>
    /// <param name="set">What was set before the first boot, or null.</param>
    /// <param name="said">What the log says beyond the facts, or null.</param>
    public static IReadOnlyList<Contradiction> Of(
        Board board,
        BoardProfile model,
        ImageProfile? image,
        FirstBoot? set,
        Facts facts,
        RunFacts? said = null
    )
    {
        var list = new List<Contradiction>();
        void Differ(bool differs, string what, string bench, string log)
        {
            if (differs)
                list.Add(new(what, $"{what}: the bench says {bench}, the log says {log}."));
        }
        if (facts.Board is { } named && model.Banner is { } banner)
            Differ(!Same(named, banner) && !Same(named, model.Name), "Board", banner, named);
        if (
            facts.Architecture is { } runsOn
            && Enum.TryParse<InstructionSet>(runsOn, true, out var runs)
            && model.InstructionSet is { } made
        )
            Differ(
                runs != made && !(made == InstructionSet.Arm64 && runs == InstructionSet.Armhf),
                "Processor",
                made.Words(),
                runs.Words()
            );
        // A system sees a little less than is fitted (up to an eighth is kept back), never more.
        if (facts.MemoryBytes is { } bytes && board.MemoryMiB is { } memory)
            Differ(bytes > memory * Sizes.MiB || bytes < memory * Sizes.MiB * 7 / 8, "Memory", Sizes.Memory(memory), Sizes.Binary(bytes));
        if (set?.HostName is { } hostName && facts.Hostname is { } host)
            Differ(!host.Equals(hostName.Split('.')[0], StringComparison.OrdinalIgnoreCase), "Host name", hostName, host);
        if (image is { Kernel.Length: > 0 } && facts.Kernel is { } kernel)
            Differ(
                !kernel.StartsWith(image.Kernel, StringComparison.Ordinal) && !image.Kernel.StartsWith(kernel, StringComparison.Ordinal),
                "Kernel",
                $"{image.Kernel} ({image.Title})",
                kernel
            );
        if (
            image is { RootPartUuid.Length: > 0 }
            && facts.BootMedium is { } root
            && root.StartsWith("PARTUUID=", StringComparison.OrdinalIgnoreCase)
        )
            Differ(
                !root[9..].Trim('"').Equals(image.RootPartUuid, StringComparison.OrdinalIgnoreCase),
                "Root",
                $"PARTUUID={image.RootPartUuid}",
                root
            );
        else if (board.Connected.CardGb is not null && image is not null && facts.BootMedium is { } device)
            Differ(
                device.StartsWith("/dev/sd", StringComparison.Ordinal)
                    || device.StartsWith("/dev/nvme", StringComparison.Ordinal)
                    || device.StartsWith("/dev/nfs", StringComparison.Ordinal),
                "Root",
                $"a card of {board.Connected.CardGb} GB",
                device
            );
        // An address that was set is there or it did not take; before any address was said nothing is known.
        if (set?.Address is { } fixedOne && facts.Addresses.Count > 0)
        {
            var address = fixedOne.Address.Split('/')[0];
            Differ(!facts.Addresses.Contains(address), "Address", address, string.Join(", ", facts.Addresses));
        }
        if (set?.TimeZone is { } zone && said?.TimeZone is { } told)
            Differ(told.Value != zone, "Time zone", zone, told.Value);
        if (set?.Locale is { } locale && said?.Locale is { } spoken)
            Differ(spoken.Value != locale, "Locale", locale, spoken.Value);
        if (set?.Keyboard is { } keyboard && said?.Keyboard is { } layout)
            Differ(layout.Value != keyboard, "Keyboard", keyboard, layout.Value);
        return list;
    }

    /// <summary>Whether one name holds the other, whatever case and dashes.</summary>
    private static bool Same(string one, string other)
    {
        static string Plain(string text) => new([.. text.ToLowerInvariant().Where(char.IsAsciiLetterOrDigit)]);
        var (a, b) = (Plain(one), Plain(other));
        return a.Length == 0 || b.Length == 0 || a.Contains(b, StringComparison.Ordinal) || b.Contains(a, StringComparison.Ordinal);
    }
}
