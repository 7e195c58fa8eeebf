using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App.Consoles;

/// <summary>Where the bytes of a boot come from.</summary>
public interface IConsoleSource : IDisposable
{
    /// <summary>Begins; pieces and events come with milliseconds since the begin, and once how and why it ended.</summary>
    Problem? Start(Action<StoredPiece> received, Action<JournalEvent> happened, Action<CaptureEnd, string> ended);

    /// <summary>Sends typed bytes; a problem when the other end does not take them.</summary>
    Problem? Type(byte[] bytes);

    /// <summary>Milliseconds since the begin, now.</summary>
    int Now { get; }

    /// <summary>How its line is set; null where there is no line.</summary>
    LineSettings? Line => null;

    /// <summary>What keeps it from being heard at the moment, or null.</summary>
    Problem? Trouble => null;

    /// <summary>Changes the line while it is read.</summary>
    Problem? Set(LineSettings line) => NoLine("The line should be set.");

    /// <summary>Raises or lowers DTR and RTS; null leaves a wire as it is.</summary>
    Problem? SetWires(bool? dtr, bool? rts) => NoLine("DTR and RTS should be set.");

    /// <summary>Holds the line low for about a third of a second.</summary>
    Problem? Break() => NoLine("A break should be sent.");

    private static Problem NoLine(string expected) =>
        new(expected, "This console has no line of its own.", "Open a serial port or a bridge to set one.");
}
