using Buttonhook.Core;

namespace Buttonhook.Hardware;

/// <summary>Why a console could not be opened, in words that tell what to do.</summary>
public static class ConsoleProblems
{
    /// <summary>The problem for an error number of open(2) or ioctl(2) on a console path.</summary>
    /// <param name="group">The group that may open the device, or null when it is not known.</param>
    /// <param name="holder">The program that has it open, or null when that cannot be seen.</param>
    public static Problem Of(int error, string path, string? group, string? holder = null) =>
        error switch
        {
            2 or 6 or 19 => new(
                $"{path} should be a serial port.",
                "There is no such device.",
                "Plug the adapter in, or choose another port."
            ),
            1 or 13 => new(
                $"You should be allowed to open {path}.",
                group is null ? "The system refuses it." : $"Only members of the group {group} are, and you are not one.",
                group is null ? "Ask who owns the computer." : $"Run: sudo usermod -aG {group} $USER — then log out and in again."
            ),
            16 => new(
                $"{path} should be free.",
                holder is null ? "Another program has it open." : $"{holder} has it open.",
                "Close that program and try again."
            ),
            25 => new($"{path} should be a serial port.", "It is a file or device of another kind.", "Choose a port such as /dev/ttyUSB0."),
            21 => new($"{path} should be a serial port.", "It is a folder.", "Choose a port such as /dev/ttyUSB0."),
            _ => new(
                $"{path} should open.",
                $"The system answers with error {error}.",
                "Unplug the adapter, plug it in again and try once more."
            ),
        };
}
