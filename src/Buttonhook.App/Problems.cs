using Buttonhook.Core;

namespace Buttonhook.App;

/// <summary>Problems as answers to a request: always the three parts, never a stack trace.</summary>
public static class Problems
{
    /// <summary>A problem with this status.</summary>
    public static IResult Answer(this Problem problem, int status = StatusCodes.Status422UnprocessableEntity) =>
        Results.Json(problem, DataFile.Json, statusCode: status);

    /// <summary>Something that is not there.</summary>
    public static IResult Missing(string what) =>
        new Problem($"{what} should be on the bench.", "It is not there any more.", "Reload the page.").Answer(
            StatusCodes.Status404NotFound
        );
}
