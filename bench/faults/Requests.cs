using System.Diagnostics;
using System.Text;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;

/// <summary>Requests as the contract has them, with bytes changed: each is answered, in words where it is refused, and none leads to an accident.</summary>
internal sealed class Requests(string folder, Random random, double minutes)
{
    /// <summary>What begins work that outlives the request; twenty thousand of those would be another test.</summary>
    private static readonly Regex Begins = new("boots$|/card$|inspections|uploads|arrivals|downloads|copy|practice");

    /// <summary>How deep a body is made.</summary>
    private const int Deepest = 6;

    /// <summary>Sends them for a while, twenty thousand at least in a long run.</summary>
    public async Task Run(TimeSpan time, List<(string What, int Tried, int Failed, long Lost)> table)
    {
        var root = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(root, "src/web/src/shared/openapi.json")))
            root = Path.GetDirectoryName(root)!;
        var contract = JsonNode.Parse(await File.ReadAllTextAsync(Path.Combine(root, "src/web/src/shared/openapi.json")))!;
        var routes = (
            from path in contract["paths"]!.AsObject()
            where !Begins.IsMatch(path.Key)
            from operation in path.Value!.AsObject()
            where operation.Key is "post" or "put"
            let schema = operation.Value!["requestBody"]?["content"]?["application/json"]?["schema"]
            where schema is not null
            select (Method: operation.Key, Path: path.Key, Body: Of(schema, contract, 0)?.ToJsonString() ?? "null")
        ).ToList();
        using var server = await Server.Up(Path.Combine(folder, "requests"), "demo");
        var (tried, failed) = (0, 0);
        var clock = Stopwatch.StartNew();
        while (clock.Elapsed < time || minutes >= 10 && tried < 20_000)
        {
            var (method, path, body) = routes[random.Next(routes.Count)];
            var url = Regex.Replace(path, @"\{[^}]+\}", _ => random.Next(4) == 0 ? "nobody" : "bramley");
            using var request = new HttpRequestMessage(new(method.ToUpperInvariant()), url)
            {
                Content = new ByteArrayContent(Changed(Encoding.UTF8.GetBytes(body)))
                {
                    Headers = { ContentType = new("application/json") },
                },
            };
            tried++;
            using var answer = await server.Http.SendAsync(request);
            var said = (int)answer.StatusCode >= 400 ? await answer.Content.ReadAsStringAsync() : "";
            if ((int)answer.StatusCode < 500 && !said.Contains("   at "))
                continue;
            failed++;
            Console.WriteLine($"FAULT mutated requests: {(int)answer.StatusCode} {method} {url}: {said}");
        }
        table.Add(("mutated requests", tried, failed, 0));
    }

    private byte[] Changed(byte[] body)
    {
        for (var n = random.Next(0, 4); n > 0 && body.Length > 0; n--)
            switch (random.Next(4))
            {
                case 0:
                    body[random.Next(body.Length)] = (byte)random.Next(32, 127);
                    break;
                case 1:
                    var at = random.Next(body.Length);
                    body = [.. body[..at], .. body[Math.Min(body.Length, at + random.Next(1, 8))..]];
                    break;
                case 2:
                    body = Encoding.UTF8.GetBytes(
                        Regex.Replace(Encoding.UTF8.GetString(body), "\"a\"", random.Next(3) == 0 ? "null" : "\"bramley\"")
                    );
                    break;
                default:
                    body = Encoding.UTF8.GetBytes(
                        Regex.Replace(
                            Encoding.UTF8.GetString(body),
                            "\\b1\\b",
                            $"{(random.Next(2) == 0 ? int.MinValue : random.NextInt64())}"
                        )
                    );
                    break;
            }
        return body;
    }

    /// <summary>A body as its schema wants it.</summary>
    private static JsonNode? Of(JsonNode schema, JsonNode contract, int depth)
    {
        if (depth > Deepest)
            return null;
        if ((string?)schema["$ref"] is { } named)
            return Of(contract["components"]!["schemas"]![named.Split('/')[^1]]!, contract, depth + 1);
        if (schema["oneOf"] is JsonArray choices)
            return choices.Select(c => c!).FirstOrDefault(c => (string?)c["type"] != "null") is { } first
                ? Of(first, contract, depth + 1)
                : null;
        if (schema["enum"] is JsonArray values)
            return values[0]?.DeepClone();
        var type = schema["type"] is JsonArray several ? (string?)several.First(t => (string?)t != "null") : (string?)schema["type"];
        return type switch
        {
            "object" => new JsonObject(
                (schema["properties"] as JsonObject ?? []).Select(p => KeyValuePair.Create(p.Key, Of(p.Value!, contract, depth + 1)))
            ),
            "array" => new JsonArray(Of(schema["items"]!, contract, depth + 1)),
            "integer" or "number" => 1,
            "boolean" => true,
            _ => "a",
        };
    }
}
