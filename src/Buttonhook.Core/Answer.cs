namespace Buttonhook.Core;

/// <summary>What a person is told when input cannot be used: what was expected, what came, and what to do.</summary>
public sealed record Problem(string Expected, string Came, string ToDo)
{
    /// <summary>The three parts as one line of plain sentences.</summary>
    public override string ToString() => $"{Expected} {Came} {ToDo}".Trim();
}

/// <summary>A value, or the problem that stood in the way; never both. Core answers bad input with it instead of throwing.</summary>
public readonly record struct Answer<T>(T? Value, Problem? Problem)
    where T : class
{
    /// <summary>True when there is a value.</summary>
    public bool IsGood => Problem is null;

    /// <summary>Wraps a value.</summary>
    public static implicit operator Answer<T>(T value) => new(value, null);

    /// <summary>Wraps a problem.</summary>
    public static implicit operator Answer<T>(Problem problem) => new(null, problem);
}
