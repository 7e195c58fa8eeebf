using System.Collections.Concurrent;
using Buttonhook.Core.Simulating;
using Buttonhook.Hardware;

namespace Buttonhook.App.Consoles;

/// <summary>Simulated boards as real pseudo-terminals, so that any terminal program, or the capture itself, can open them.</summary>
public sealed class SimulatedTerminals(TimeProvider clock, BenchOptions options) : IDisposable
{
    private sealed class Entry(PseudoTerminal terminal)
    {
        public PseudoTerminal Terminal { get; } = terminal;
        public SimulatedSource? Power { get; set; }

        /// <summary>At which speed a bridge listens, in bits a second; null while none does: then the pseudo-terminal's own counts.</summary>
        public int? BridgeSpeed { get; set; }

        /// <summary>Who else hears what the board prints.</summary>
        public event Action<byte[]>? Printed;

        public void Print(byte[] bytes)
        {
            Terminal.Print(bytes);
            Printed?.Invoke(bytes);
        }
    }

    private readonly ConcurrentDictionary<string, Lazy<Entry>> terminals = new();

    /// <summary>The device path of a simulated board; made when first asked for.</summary>
    public string PathOf(string boardId) => Of(boardId).Terminal.Path;

    /// <summary>The simulated board behind a device path, or null.</summary>
    public string? BoardAt(string path) => terminals.FirstOrDefault(t => t.Value.Value.Terminal.Path == path).Key;

    private Entry Of(string boardId) =>
        terminals.GetOrAdd(boardId, id => new(() => new(new PseudoTerminal(bytes => terminals[id].Value.Power?.Type(bytes))))).Value;

    /// <summary>Listens to a simulated board beside its pseudo-terminal; what is given back ends that.</summary>
    public IDisposable Listen(string boardId, Action<byte[]> printed)
    {
        var entry = Of(boardId);
        entry.Printed += printed;
        return new Listening(() => entry.Printed -= printed);
    }

    private sealed class Listening(Action end) : IDisposable
    {
        public void Dispose() => end();
    }

    /// <summary>Says at which speed a bridge listens, in bits a second; null when none does any more.</summary>
    public void ListenAt(string boardId, int? speed) => Of(boardId).BridgeSpeed = speed;

    /// <summary>Types to a simulated board; nothing happens while it is off.</summary>
    public void Type(string boardId, byte[] bytes) => Of(boardId).Power?.Type(bytes);

    /// <summary>Gives a board power, or takes it and gives it again; it prints to its pseudo-terminal.</summary>
    public void PowerOn(string boardId, SimulationPlan plan)
    {
        var entry = Of(boardId);
        entry.Power?.Dispose();
        entry.Terminal.Clear();
        var source = new SimulatedSource(
            plan,
            options.Pace,
            clock,
            new(plan.Console.Speed),
            () => entry.BridgeSpeed ?? (entry.Terminal.Speed is > 0 and var set ? set : plan.Console.Speed)
        );
        entry.Power = source;
        source.Start(piece => entry.Print(piece.Bytes), _ => { }, (_, _) => { });
    }

    /// <summary>Takes the power of a board.</summary>
    public void PowerOff(string boardId)
    {
        if (terminals.TryGetValue(boardId, out var entry))
            entry.Value.Power?.Dispose();
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var entry in terminals.Values)
        {
            entry.Value.Power?.Dispose();
            entry.Value.Terminal.Dispose();
        }
    }
}
