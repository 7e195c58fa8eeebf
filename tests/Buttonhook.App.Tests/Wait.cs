using System.Diagnostics;

namespace Buttonhook.App.Tests;

/// <summary>Waits for what is asked and never for a time; a machine under load may take long, so what never comes fails after minutes.</summary>
internal static class Wait
{
    private static readonly TimeSpan Longest = TimeSpan.FromMinutes(4);

    /// <summary>Asks again and again until the answer holds, and gives it; fails with the words of what came instead.</summary>
    public static async Task<T> For<T>(Func<Task<T>> ask, Func<T, bool> holds, Func<T, Task<string>>? words = null)
    {
        var clock = Stopwatch.StartNew();
        for (var pause = 10; ; pause = Math.Min(pause + 10, 100))
        {
            var answer = await ask();
            if (holds(answer))
                return answer;
            if (clock.Elapsed > Longest)
                throw new TimeoutException(words is null ? $"It stayed at: {answer}" : await words(answer));
            await Task.Delay(pause, TestContext.Current.CancellationToken);
        }
    }

    /// <summary>Waits until it holds.</summary>
    public static Task For(Func<Task<bool>> holds) => For(holds, h => h);

    /// <summary>Waits until it holds.</summary>
    public static Task For(Func<bool> holds) => For(() => Task.FromResult(holds()));
}
