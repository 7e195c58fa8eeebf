using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>A capture as far as it was read: what it says, and the log to look things up in. Nobody else may use the log meanwhile.</summary>
public sealed record ReadCapture(BootReading Reading, Diagnosis Diagnosis, ConsoleLog Log, Ending Ending);
