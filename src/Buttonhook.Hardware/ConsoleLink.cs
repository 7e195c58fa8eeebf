using Buttonhook.Core;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Hardware;

/// <summary>An open way to a console: a serial port of this computer, or one behind the network. It reads by a thread of its own.</summary>
public interface IConsoleLink : IDisposable
{
    /// <summary>Sends bytes; false when the other end does not take them within two seconds or is gone.</summary>
    bool Send(ReadOnlySpan<byte> bytes);

    /// <summary>Changes the line while it is read; no byte that arrived is lost. A problem where it cannot be.</summary>
    Problem? Set(LineSettings line);

    /// <summary>Raises or lowers DTR and RTS; null leaves a wire as it is.</summary>
    Problem? SetWires(bool? dtr, bool? rts);

    /// <summary>Holds the line low for about a third of a second, which a kernel and some loaders take as a call.</summary>
    Problem? Break();
}
