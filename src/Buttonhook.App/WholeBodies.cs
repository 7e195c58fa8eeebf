using System.Collections;
using System.Reflection;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;

namespace Buttonhook.App;

/// <summary>
/// Requests whose lists hold nothing where the contract asks for something, or whose numbers are beyond all numbers (1e999 is read as
/// infinity), are refused as they are read: the framework looks at fields only.
/// </summary>
internal static class WholeBodies
{
    /// <summary>For <see cref="DefaultJsonTypeInfoResolver.Modifiers"/>.</summary>
    public static void Demand(JsonTypeInfo info)
    {
        if (info.Kind != JsonTypeInfoKind.Object)
            return;
        var lists = info.Properties.Where(p => p.Get is not null && HoldsSomething(p)).ToList();
        var numbers = info
            .Properties.Where(p => p.Get is not null && (Nullable.GetUnderlyingType(p.PropertyType) ?? p.PropertyType) == typeof(double))
            .ToList();
        if (lists.Count + numbers.Count == 0)
            return;
        var before = info.OnDeserialized;
        info.OnDeserialized = read =>
        {
            before?.Invoke(read);
            foreach (var list in lists)
                if (list.Get!(read) is IEnumerable items && (items is IDictionary map ? map.Values : items).Cast<object?>().Contains(null))
                    throw new JsonException($"The list {list.Name} holds null where something should stand.");
            foreach (var number in numbers)
                if (number.Get!(read) is double value && !double.IsFinite(value))
                    throw new JsonException($"The number {number.Name} is too large.");
        };
    }

    /// <summary>Whether it is a list whose items are objects or texts that must be there.</summary>
    private static bool HoldsSomething(JsonPropertyInfo property)
    {
        if (property.PropertyType == typeof(string) || !typeof(IEnumerable).IsAssignableFrom(property.PropertyType))
            return false;
        var told = property.AttributeProvider switch
        {
            PropertyInfo p => new NullabilityInfoContext().Create(p),
            FieldInfo f => new NullabilityInfoContext().Create(f),
            _ => null,
        };
        var item = told?.ElementType ?? (told?.GenericTypeArguments is [.., var last] ? last : null);
        return item is { Type.IsValueType: false, ReadState: NullabilityState.NotNull };
    }
}
