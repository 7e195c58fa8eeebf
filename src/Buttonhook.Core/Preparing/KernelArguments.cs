using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Preparing;

/// <summary>Words of the kernel command line (Linux Documentation/admin-guide/kernel-parameters).</summary>
public static class KernelArguments
{
    /// <summary>The console word for a board ("console=ttyS0,115200"); "console=" where its device is not known.</summary>
    public static string Console(ConsolePort port) => port.Argument ?? "console=";
}
