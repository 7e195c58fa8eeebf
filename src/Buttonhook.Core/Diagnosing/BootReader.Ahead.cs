using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

// A long log keeps two processors busy: one takes the bytes apart into lines, the other finds in them what the rule book knows.
public sealed partial class BootReader
{
    private Ahead? ahead;
    private int? firstLoaderAt;

    /// <summary>From here on lines are gathered and looked through by a second processor; for a log that is read as fast as it can be, each piece of which is whole lines or has no time.</summary>
    internal void ReadAhead() => ahead = new(Find);

    /// <summary>Lets times count from the first loader's first line, as long as nothing tells more.</summary>
    private void CountFromLoader(int milliseconds)
    {
        if (ahead is not null)
            firstLoaderAt ??= milliseconds;
        else if (Log.Origin == TimeOrigin.FirstByte)
            Log.CountFrom(milliseconds, TimeOrigin.FirstLoader);
    }

    private void Settle()
    {
        ahead?.Settle();
        if (firstLoaderAt is { } at && Log.Origin == TimeOrigin.FirstByte)
            Log.CountFrom(at, TimeOrigin.FirstLoader);
    }

    /// <summary>Lines that are gathered while those before them are looked through.</summary>
    private sealed class Ahead(Ahead.Finder find)
    {
        /// <summary>Letters that are looked through in one go; a log that is shorter is no work for two.</summary>
        private const int Letters = 1 << 17;

        public delegate void Finder(ReadOnlySpan<char> text, int number, int? arrived);

        private Batch filled = new();
        private Batch looked = new();
        private Task looking = Task.CompletedTask;

        /// <summary>Takes a line; throws what went wrong in an earlier one.</summary>
        public void Take(ReadOnlySpan<char> text, int number, int arrived)
        {
            if (!filled.Add(text, number, arrived))
            {
                looking.GetAwaiter().GetResult();
                (filled, looked) = (looked, filled);
                looking = Task.Run(() => looked.Find(find));
                if (!filled.Add(text, number, arrived))
                {
                    // Longer than all that is gathered: by itself, behind those before it.
                    looking.GetAwaiter().GetResult();
                    find(text, number, arrived);
                }
            }
        }

        /// <summary>Looks through what was gathered, and waits for it.</summary>
        public void Settle()
        {
            looking.GetAwaiter().GetResult();
            filled.Find(find);
        }

        private sealed class Batch
        {
            private readonly char[] letters = new char[Letters];
            private readonly List<(int Number, int End, int Arrived)> lines = [];
            private int length;

            public bool Add(ReadOnlySpan<char> text, int number, int arrived)
            {
                if (text.Length > Letters - length)
                    return false;
                text.CopyTo(letters.AsSpan(length));
                lines.Add((number, length += text.Length, arrived));
                return true;
            }

            public void Find(Finder find)
            {
                var begin = 0;
                foreach (var (number, end, arrived) in lines)
                {
                    find(letters.AsSpan(begin, end - begin), number, arrived);
                    begin = end;
                }
                lines.Clear();
                length = 0;
            }
        }
    }
}
