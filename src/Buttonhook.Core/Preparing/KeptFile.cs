namespace Buttonhook.Core.Preparing;

/// <summary>A first-boot file as it was written to the card, without secrets.</summary>
public sealed record KeptFile(string Path, string Text);
