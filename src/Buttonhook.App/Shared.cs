namespace Buttonhook.App;

/// <summary>
/// One computation for all who ask at once: who comes while one runs gets the result of the next, which begins after he asked, so that
/// everybody sees what was stored before his question.
/// </summary>
public sealed class Shared<T>(Func<T> compute)
{
    private readonly Lock gate = new();
    private Task<T>? running;
    private Task<T>? next;

    /// <summary>The result of a computation that begins now or later.</summary>
    public Task<T> Ask()
    {
        lock (gate)
        {
            if (running is null or { IsCompleted: true })
                return running = Task.Run(compute);
            return next ??= Follow(running);
        }
    }

    private async Task<T> Follow(Task<T> before)
    {
        await before.ContinueWith(_ => { }, TaskScheduler.Default).ConfigureAwait(false);
        Task<T> own;
        lock (gate)
        {
            own = running = Task.Run(compute);
            next = null;
        }
        return await own.ConfigureAwait(false);
    }
}
