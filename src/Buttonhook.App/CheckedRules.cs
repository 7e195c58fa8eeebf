using System.Text.Json.Serialization;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App;

/// <summary>The rule book as it was read and checked when the program was built; only this program reads it back.</summary>
/// <param name="Book">Without its questions, which stand in a file of their own, so that both are read side by side.</param>
internal sealed record CheckedRules(RuleBook Book, IReadOnlyList<FittedWeight> Fitted);

/// <summary>Reads it without looking at the types while it runs, which took a third of the time of a command.</summary>
[JsonSerializable(typeof(CheckedRules))]
[JsonSerializable(typeof(IReadOnlyList<Question>))]
internal sealed partial class CheckedRulesJson : JsonSerializerContext;
