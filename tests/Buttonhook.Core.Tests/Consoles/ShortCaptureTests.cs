using System.Text;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Tests.Consoles;

/// <summary>A few hundred bytes at a wrong speed are named, from 24 bytes on where they tell it.</summary>
public class ShortCaptureTests(ITestOutputHelper output)
{
    private static readonly string[] Said =
    [
        "\r\n\r\nQuill boot monitor v3.1.4 (Mar 02 2021 - 10:11:12)\r\nCPU: Quill-V at 1000 MHz\r\nDRAM: 512 MB\r\nAutoboot in 3 seconds\r\nloading kernel from sd card, sector 2048\r\nok\r\n",
        "[    0.000000] Booting Linux on physical CPU 0x0000000000 [0x410fd034]\r\n[    0.000000] Linux version 6.1.55 (build@orchard) #1 SMP\r\n[    0.000000] Machine model: Quill V\r\n[    0.000000] Memory limited to 512MB\r\n",
    ];

    private static IEnumerable<byte[]> Texts()
    {
        foreach (var said in Said)
            yield return Encoding.ASCII.GetBytes(string.Concat(Enumerable.Repeat(said, 30)));
        foreach (var log in new[] { "armhf-busybox-boot-1", "arm64-good-first-boot-1" })
            yield return File.ReadAllBytes(Path.Combine(Knowledge.Root, $"tests/logs/{log}/console.log"));
    }

    [Fact]
    public void A_wrong_speed_is_named_after_few_bytes()
    {
        foreach (var bytes in new[] { 24, 40, 80, 160, 300 })
        {
            int all = 0,
                speed = 0,
                rate = 0,
                among = 0;
            var missed = new List<string>();
            foreach (var sender in LineQuality.UsualRates)
            foreach (var receiver in LineQuality.UsualRates.Where(r => r != sender && (double)sender / r is > 0.05 and < 20))
            foreach (var text in Texts())
            {
                var received = LineModel.Receive(text, sender, receiver);
                if (received.Length < bytes)
                    continue;
                var quality = new LineQuality();
                quality.Add(received.AsSpan(0, bytes));
                var verdict = quality.Judge();
                all++;
                if (verdict.Fault == LineFault.Speed)
                    speed++;
                else
                    missed.Add($"{sender}@{receiver}:{verdict.Fault}");
                if (verdict.Fault == LineFault.Speed && Math.Abs(Math.Log(verdict.RateRatio / ((double)sender / receiver))) < 0.1)
                    rate++;
                if (verdict.Likely?.Any(l => Math.Abs(Math.Log(l.RateRatio / ((double)sender / receiver))) < 0.1) == true)
                    among++;
            }
            output.WriteLine(
                $"{bytes} bytes: {speed} of {all} named, rate right in {rate}, among the likely in {among}; {string.Join(", ", missed.Take(12))}"
            );
            Assert.True(
                speed
                    >= all
                        * (
                            bytes < 40 ? 0.85
                            : bytes < 80 ? 0.97
                            : 1
                        ),
                $"{bytes} bytes: {speed} of {all} named"
            );
            if (bytes >= 80)
                Assert.True(among >= all * 0.88, $"{bytes} bytes: the rate is among the likely ones in {among} of {all}");
        }
    }
}
