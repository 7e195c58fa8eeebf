using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Keeping;

/// <summary>How far a task of the first login is.</summary>
public enum LoginTaskState
{
    /// <summary>Nothing shows that it was done.</summary>
    Open,

    /// <summary>A line of the console shows that it was done, or that it is so already.</summary>
    Proven,

    /// <summary>A person says that it was done.</summary>
    Told,

    /// <summary>A line of the console shows that it did not take.</summary>
    Failed,
}

/// <summary>One thing to do after the first login.</summary>
/// <param name="Why">Why, in a sentence.</param>
/// <param name="Command">The exact command for this system, as it is sent over the console; null where hands do it.</param>
/// <param name="Asks">What a person must give for it ("New name"), which stands as {name} in the command; null for nothing.</param>
/// <param name="Minutes">How long it takes, or null for a moment.</param>
/// <param name="Caution">What can go wrong, or null.</param>
/// <param name="Line">The line that shows it.</param>
/// <param name="Tells">What that line says of it, or null.</param>
/// <param name="Needs">What must be so before it can be sent; null when nothing stands in the way.</param>
/// <param name="Ran">How many systems of the lab ran its command and showed its proof.</param>
public sealed record LoginTask(
    string Id,
    string Title,
    string Why,
    string? Command,
    string? Asks,
    string? Minutes,
    string? Caution,
    LoginTaskState State,
    int? Line,
    string? Tells,
    string? Needs = null,
    int Ran = 0
);

/// <summary>What the tasks of a first login are made for.</summary>
/// <param name="DefaultUser">The user that the image comes with, or null.</param>
/// <param name="Set">What was set before the first boot, or null.</param>
/// <param name="Host">The host name that the board should have.</param>
/// <param name="CardBytes">The size of its card in bytes: as it was measured when it was written here, else by its label; or null.</param>
/// <param name="At">When the capture began.</param>
/// <param name="Shipped">Other people's accounts of the image with a password or none, as its inspection found them; null when nobody looked into it.</param>
public sealed record LoginWish(
    string? DefaultUser,
    FirstBoot? Set,
    string Host,
    long? CardBytes,
    bool Screen,
    DateTimeOffset At,
    IReadOnlyList<string>? Shipped = null
);
