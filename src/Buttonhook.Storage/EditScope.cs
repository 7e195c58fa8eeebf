namespace Buttonhook.Storage;

/// <summary>What one request does: all that changes while it runs is one edit, taken back in one go. Work that outlives the request belongs to nobody.</summary>
public sealed class EditScope : IDisposable
{
    private static readonly AsyncLocal<EditScope?> Current = new();
    private readonly string token = Guid.NewGuid().ToString("N");
    private readonly string at;
    private string? says;
    private bool over;

    private EditScope(DateTimeOffset at) => this.at = Rows.At(at);

    /// <summary>Begins what a person does; it ends when the answer is disposed.</summary>
    public static EditScope Begin(DateTimeOffset at) => Current.Value = new(at);

    /// <summary>Says in words what is done, where the changed rows would not tell it.</summary>
    public static void Say(string words)
    {
        if (Current.Value is { } now)
            now.says = words;
    }

    /// <summary>What the database asks of the request that runs: token, at or says; null when none runs.</summary>
    internal static string? Ask(string what) =>
        Current.Value is { over: false } now
            ? what switch
            {
                "token" => now.token,
                "at" => now.at,
                _ => now.says,
            }
            : null;

    /// <inheritdoc/>
    public void Dispose() => over = true;
}
