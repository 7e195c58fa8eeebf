using QRCoder;

namespace Buttonhook.App;

/// <summary>A text as a square code (QR, ISO 18004) in SVG, on white so that every reader finds it.</summary>
internal static class SquareCode
{
    /// <summary>The code as SVG; a text over 2,900 bytes does not fit.</summary>
    /// <param name="ink">The colour of its dots, as CSS has it.</param>
    /// <param name="worn">Whether it should still be read when a seventh of it is worn; else it has fewer and larger dots.</param>
    public static string Svg(string text, string ink, bool worn = true)
    {
        using var code = QRCodeGenerator.GenerateQrCode(text, worn ? QRCodeGenerator.ECCLevel.M : QRCodeGenerator.ECCLevel.L);
        return new SvgQRCode(code).GetGraphic(4, ink, "#FFFFFF");
    }
}
