using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Keeping;

/// <summary>A boot with all that the bench knows of it.</summary>
/// <param name="Card">What is known of the card that booted.</param>
/// <param name="Write">How it was written here; null when it was not.</param>
/// <param name="FirstBoot">What was set before the first boot; null when nothing was.</param>
/// <param name="Recipes">The recipes that were chosen.</param>
/// <param name="Mended">What was corrected, in order.</param>
/// <param name="Photos">What each photo of the board shows; null when none is known.</param>
/// <param name="Starts">The starts that its capture holds; null when they were not looked at.</param>
/// <param name="Read">What the running system told when it was read; null when it was not looked for.</param>
/// <param name="Source">Where the bytes came from ("/dev/ttyUSB0 at 115200 8N1").</param>
public sealed record Run(
    Board Board,
    BoardProfile Model,
    Catalogue Catalogue,
    ImageProfile? Image,
    CardState Card,
    CardWrite? Write,
    FirstBoot? FirstBoot,
    IReadOnlyList<Recipe> Recipes,
    IReadOnlyList<Mended> Mended,
    BootReading Reading,
    ConsoleLog Log,
    string Source,
    string? LogSha256,
    DateTimeOffset BootedAt,
    IReadOnlyList<string>? Photos = null,
    Starts? Starts = null,
    IReadOnlyList<SystemTold>? Read = null
);
