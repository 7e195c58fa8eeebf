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
    }

    private readonly ConcurrentDictionary<string, Lazy<Entry>> terminals = new();

    /// <summary>The device path of a simulated board; made when first asked for.</summary>
    public string PathOf(string boardId) => Of(boardId).Terminal.Path;

    /// <summary>The simulated board behind a device path, or null.</summary>
    public string? BoardAt(string path) => terminals.FirstOrDefault(t => t.Value.Value.Terminal.Path == path).Key;

    private Entry Of(string boardId) =>
        terminals.GetOrAdd(boardId, id => new(() => new(new PseudoTerminal(bytes => terminals[id].Value.Power?.Type(bytes))))).Value;

    /// <summary>Gives a board power, or takes it and gives it again; it prints to its pseudo-terminal.</summary>
    public void PowerOn(string boardId, SimulationPlan plan)
    {
        var entry = Of(boardId);
        entry.Power?.Dispose();
        entry.Terminal.Clear();
        var source = new SimulatedSource(plan, options.Pace, clock);
        entry.Power = source;
        source.Start(piece => entry.Terminal.Print(piece.Bytes), (_, _) => { });
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
