namespace Buttonhook.Core.Diagnosing;

// A long log keeps two processors busy: one takes the bytes apart into lines, the other finds in them what the rule book knows.
public sealed partial class BootReader
{
    private Ahead? ahead;

    /// <summary>From here on lines are gathered and looked through by a second processor; for a log whose bytes come without times, as fast as they are read.</summary>
    internal void ReadAhead() => ahead = new(Find, hits);

    /// <summary>Lines that are gathered while those before them are looked through.</summary>
    private sealed class Ahead(Ahead.Finder find, List<Hit> hits)
    {
        /// <summary>Letters that are looked through in one go; a log that is shorter is no work for two.</summary>
        private const int Letters = 1 << 17;

        public delegate void Finder(ReadOnlySpan<char> text, int number, List<Hit> into);

        private Batch filled = new();
        private Batch looked = new();
        private Task looking = Task.CompletedTask;

        /// <summary>Takes a line; throws what went wrong in an earlier one.</summary>
        public void Take(ReadOnlySpan<char> text, int number)
        {
            if (!filled.Add(text, number))
            {
                looking.GetAwaiter().GetResult();
                (filled, looked) = (looked, filled);
                looking = Task.Run(() => looked.Find(find, hits));
                if (!filled.Add(text, number))
                {
                    // Longer than all that is gathered: by itself, behind those before it.
                    looking.GetAwaiter().GetResult();
                    find(text, number, hits);
                }
            }
        }

        /// <summary>Looks through what was gathered, and waits for it.</summary>
        public void Settle()
        {
            looking.GetAwaiter().GetResult();
            filled.Find(find, hits);
        }

        private sealed class Batch
        {
            private readonly char[] letters = new char[Letters];
            private readonly List<(int Number, int End)> lines = [];
            private int length;

            public bool Add(ReadOnlySpan<char> text, int number)
            {
                if (text.Length > Letters - length)
                    return false;
                text.CopyTo(letters.AsSpan(length));
                lines.Add((number, length += text.Length));
                return true;
            }

            public void Find(Finder find, List<Hit> hits)
            {
                var begin = 0;
                foreach (var (number, end) in lines)
                {
                    find(letters.AsSpan(begin, end - begin), number, hits);
                    begin = end;
                }
                lines.Clear();
                length = 0;
            }
        }
    }
}
