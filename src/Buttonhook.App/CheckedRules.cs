using System.Text.Json.Serialization;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App;

/// <summary>The rule book as it was read and checked when the program was built; only this program reads it back.</summary>
internal sealed record CheckedRules(RuleBook Book, IReadOnlyList<FittedWeight> Fitted);

/// <summary>Reads it without looking at the types while it runs, which took a third of the time of a command.</summary>
[JsonSerializable(typeof(CheckedRules))]
internal sealed partial class CheckedRulesJson : JsonSerializerContext;
