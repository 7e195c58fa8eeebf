namespace Buttonhook.Core.Diagnosing;

/// <summary>Diagnoses a whole log in one go.</summary>
public static class LogDiagnosis
{
    /// <summary>Reads all bytes of <paramref name="log"/> as one capture without arrival times; never throws on bad bytes.</summary>
    public static (BootReading Reading, Diagnosis Diagnosis) Of(ReadOnlySpan<byte> log, RuleBookIndex index)
    {
        var reader = new BootReader(index);
        reader.Add(log, -1);
        return reader.Diagnose();
    }
}
