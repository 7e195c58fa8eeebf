using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>How many things lie on each shelf below the bench.</summary>
public sealed record Shelves(int Models, int Images, int Logs, int Rules, int Parts);

/// <summary>The shelves below the bench.</summary>
public static class ShelfEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapShelves(this RouteGroupBuilder api) =>
        api.MapGet(
            "/shelves",
            (Catalogue catalogue, BootStore boots, RuleBookIndex rules) =>
                new Shelves(
                    catalogue.Models.Count,
                    catalogue.Images.Count,
                    boots.Count(),
                    rules.Book.Causes.Count,
                    catalogue.Supplies.Count + catalogue.Parts.Count + catalogue.Adapters.Count
                )
        );
}
