namespace Buttonhook.Storage;

/// <summary>The kinds of things that people change and remove, and where each lies.</summary>
/// <param name="Table">The table, which has a column removed_at, and a column state: what an edit keeps of it, as JSON with the names of the columns.</param>
/// <param name="Key">The SQL of the id by which a thing is known; null for rows of another kind.</param>
/// <param name="Name">The SQL of what a person knows it by.</param>
internal sealed record Things(string Table, string Key, string Name)
{
    /// <summary>By kind: board, log, correction, board-card, image-card, code-card, experience-card, recipe, photo, supply, part or adapter.</summary>
    public static IReadOnlyDictionary<string, Things> Kinds { get; } =
        new Dictionary<string, Things>
        {
            ["board"] = new("boards", "id", "nickname"),
            ["log"] = new(
                "boots",
                "id",
                "'boot ' || number || ' of ' || (SELECT b.nickname FROM boards AS b WHERE b.id = boots.board_id) || ', ' || source"
            ),
            ["correction"] = new("changes", "CAST(id AS TEXT)", "text"),
            ["board-card"] = Card("board", "json_extract(card, '$.name')"),
            ["image-card"] = Card("image", "json_extract(card, '$.name') || ' ' || json_extract(card, '$.version')"),
            ["code-card"] = Card("code", "id"),
            ["experience-card"] = Card("experience", "'what ' || json_extract(card, '$.from') || ' learnt'"),
            ["recipe"] = new("recipes", "id", "json_extract(recipe, '$.name')"),
            ["photo"] = new(
                "photos",
                "id",
                "'photo of ' || (SELECT b.nickname FROM boards AS b WHERE b.id = photos.board_id) || CASE says WHEN '' THEN '' ELSE ', ' || says END"
            ),
            ["supply"] = Part("supply"),
            ["part"] = Part("part"),
            ["adapter"] = Part("adapter"),
        };

    private static Things Card(string kind, string name) => new("cards", $"CASE WHEN kind = '{kind}' THEN id END", name);

    private static Things Part(string kind) => new("parts", $"CASE WHEN kind = '{kind}' THEN id END", "json_extract(part, '$.name')");
}
