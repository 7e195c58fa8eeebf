using System.Globalization;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Simulating;
using Buttonhook.Hardware;
using Buttonhook.Storage;
using Microsoft.AspNetCore.SignalR;

namespace Buttonhook.App.Consoles;

/// <summary>A source that can be started.</summary>
/// <param name="Name">What it is called in the records.</param>
/// <param name="Port">What no second capture may have at once, or null.</param>
/// <param name="Again">How it is opened again after a stop of the server; null where it cannot be.</param>
/// <param name="WithPower">Whether the board has power from its begin on.</param>
public sealed record MadeSource(IConsoleSource Source, string Name, string? Port, CapturedPort? Again, bool WithPower);

/// <summary>
/// Makes the source that a person names: "simulated", a device path, "tcp:HOST:PORT" (raw), "rfc2217:HOST:PORT" (the bridge sets the line),
/// "browser:NAME" (a port of the computer that looks at the page), "replay:BOOT".
/// </summary>
public sealed class Sources(
    SimulatedTerminals terminals,
    SimulatedBridges bridges,
    BoardStore boards,
    BootStore boots,
    BenchOptions options,
    IHubContext<BenchHub> hub,
    TimeProvider clock
)
{
    private const string Tcp = "tcp:",
        Bridge = "rfc2217:",
        Browser = "browser:",
        Replay = "replay:";

    /// <summary>Makes a source; a problem when nothing like it can be opened.</summary>
    /// <param name="plan">What a simulated board plays.</param>
    /// <param name="pace">Of a replay, how many times faster than it was.</param>
    public Answer<MadeSource> Of(string source, LineSettings line, BenchBoard bench, Func<BenchBoard, SimulationPlan> plan, double pace = 1)
    {
        if (source == "simulated")
            return bench.Board.Simulated
                ? new MadeSource(
                    new SimulatedSource(plan(bench), options.Pace, clock, line),
                    $"simulated board at {line}",
                    null,
                    null,
                    true
                )
                : new Problem(
                    "A simulated boot needs a simulated board.",
                    $"{bench.Board.Nickname} is a real one.",
                    "Choose its serial port, or drop a log."
                );
        if (source.StartsWith(Browser, StringComparison.Ordinal))
        {
            var called = source[Browser.Length..].Trim();
            return new MadeSource(
                new BrowserSource(line, hub, clock),
                $"{(called.Length is 0 or > 80 ? "a serial port" : called)} of the computer with the page at {line}",
                null,
                null,
                false
            );
        }
        if (source.StartsWith(Replay, StringComparison.Ordinal))
            return OfReplay(source[Replay.Length..], line, pace);
        return Linked(source, line, plan, null, 0);
    }

    private Answer<MadeSource> OfReplay(string bootId, LineSettings line, double pace)
    {
        if (pace is < 0.1 or > 1000)
            return new Problem("A replay runs at 0.1 to 1000 times its pace.", $"It is {pace}.", "Choose 1 for the pace that it had.");
        return boots.Find(bootId) is { } boot
            ? new MadeSource(
                new ReplaySource(boots.Pieces(bootId), pace, line.Speed / 10.0, clock),
                string.Create(CultureInfo.InvariantCulture, $"replay of boot {boot.Number} at {pace} times its pace"),
                null,
                null,
                boot.Origin == TimeOrigin.Power && boot.PowerAt == 0
            )
            : new Problem("A log that is replayed should be here.", "It is not.", "Choose one from the log drawer.");
    }

    /// <summary>The source of a capture that was interrupted by a stop; null when its port is not there, or is another one.</summary>
    public MadeSource? Again(Boot boot, int heardUntil)
    {
        if (boot.Port is not { } port)
            return null;
        if (port.Source.StartsWith('/') && !IsStill(port.Source, port.Adapter))
            return null;
        var startedAt = (int)Math.Clamp((clock.GetUtcNow() - boot.StartedAt).TotalMilliseconds, heardUntil, int.MaxValue);
        return Linked(port.Source, port.Line, null, startedAt, heardUntil).Value;
    }

    private Answer<MadeSource> Linked(
        string source,
        LineSettings line,
        Func<BenchBoard, SimulationPlan>? plan,
        int? startedAt,
        int heardUntil
    )
    {
        var isBridge = source.StartsWith(Bridge, StringComparison.Ordinal);
        if (isBridge || source.StartsWith(Tcp, StringComparison.Ordinal))
        {
            var address = source[(isBridge ? Bridge : Tcp).Length..];
            var colon = address.LastIndexOf(':');
            if (
                colon <= 0
                || !int.TryParse(address.AsSpan(colon + 1), NumberStyles.None, CultureInfo.InvariantCulture, out var port)
                || port is < 1 or > 65535
                || Uri.CheckHostName(address[..colon].Trim('[', ']')) == UriHostNameType.Unknown
            )
                return new Problem(
                    "A serial bridge is named by its host and port, such as 10.20.0.9:4000.",
                    $"It is {address}.",
                    "Look at the settings page of the bridge."
                );
            var host = address[..colon].Trim('[', ']');
            var behind = bridges.BoardAt(address) is { } id ? boards.Find(id) : null;
            return new MadeSource(
                new LinkSource(
                    address,
                    (set, received, ended) => Link(BridgeLink.Open(host, port, isBridge, set, received, ended)),
                    () => true,
                    line,
                    behind is null || plan is null ? null : () => terminals.PowerOn(behind.Board.Id, plan(behind)),
                    clock,
                    startedAt,
                    heardUntil
                ),
                isBridge ? $"{address} at {line}" : $"{address}, plain TCP",
                address,
                behind is null ? new(source, line, null) : null,
                false
            );
        }
        if (!IsDevice(source))
            return new Problem(
                $"A serial port is named by its path under {options.Devices}.",
                $"{source} is not.",
                $"Choose one from the list, such as {options.Devices}/ttyUSB0."
            );
        var simulated = terminals.BoardAt(source) is { } other ? boards.Find(other) : null;
        var known = SerialPorts.Known(options.Devices).FirstOrDefault(p => p.Path == source);
        // By the name that stays: plugged in again, an adapter may get another number.
        var path = known?.ById ?? source;
        var identity = SerialPorts.IdentityOf(source);
        return new MadeSource(
            new LinkSource(
                source,
                (set, received, ended) => Link(Tty.Open(path, set, received, ended)),
                () => IsStill(path, identity),
                line,
                simulated is null || plan is null ? null : () => terminals.PowerOn(simulated.Board.Id, plan(simulated)),
                clock,
                startedAt,
                heardUntil
            ),
            $"{(known?.Name is { } adapter ? $"{adapter}, {source}" : source)} at {line}",
            FileKinds.Behind(source),
            simulated is null ? new(path, line, identity) : null,
            false
        );
    }

    /// <summary>Whether a port is there and the one that it was: another adapter, or a pseudo-terminal of somebody else, may get the same name.</summary>
    private static bool IsStill(string path, string? identity) => File.Exists(path) && SerialPorts.IdentityOf(path) == identity;

    private static Answer<IConsoleLink> Link<T>(Answer<T> opened)
        where T : class, IConsoleLink => new(opened.Value, opened.Problem);

    private bool IsDevice(string source) =>
        !source.Contains("..", StringComparison.Ordinal)
        && (
            source.StartsWith("/dev/", StringComparison.Ordinal)
            || source.StartsWith(options.Devices.TrimEnd('/') + "/", StringComparison.Ordinal)
        );
}
