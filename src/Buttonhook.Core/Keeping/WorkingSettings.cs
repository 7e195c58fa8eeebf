using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Keeping;

/// <summary>What worked, so that the next board takes minutes. Format <c>buttonhook.working-settings/1</c>, described in docs/formats.</summary>
public sealed record WorkingSettings(
    string Format,
    string Nickname,
    string? Maker,
    string Model,
    string Revision,
    int? MemoryMiB,
    string? InstructionSet,
    string? Image,
    string? ImageVersion,
    int? CardGb,
    string? Supply,
    string? Adapter,
    string Console,
    string? Kernel,
    string? Os,
    string? RootDevice,
    string? Hostname,
    IReadOnlyList<string> Addresses,
    IReadOnlyList<StageTime> StageTimes,
    IReadOnlyList<string> Changes,
    string Notes,
    string LogSha256,
    DateTimeOffset BootedAt
)
{
    /// <summary>The name of this format.</summary>
    public const string FormatName = "buttonhook.working-settings/1";
}

/// <summary>When a stage was reached, in seconds since power.</summary>
public sealed record StageTime(Stage Stage, double Seconds);
