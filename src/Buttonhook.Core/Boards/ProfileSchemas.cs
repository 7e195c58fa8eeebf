namespace Buttonhook.Core.Boards;

/// <summary>The JSON Schemas of the published formats of profiles, as text.</summary>
public sealed record ProfileSchemas(string Board, string Image, string RevisionCode, string Experience);
