using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage.Tests;

public sealed class UnitOfWorkTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;
    private readonly Database database;
    private readonly BoardStore boards;

    public UnitOfWorkTests()
    {
        database = Database.Open(Path.Combine(folder, "bench.db")).Value!;
        boards = new(database);
    }

    public void Dispose()
    {
        database.Dispose();
        Directory.Delete(folder, true);
    }

    private void Save(string nickname) =>
        boards.Save(
            new(nickname, nickname, "quill-v", "B", null, new(null, false, false, null, null, null, []), [], null, [], false),
            null
        );

    private string Names() => string.Join(" ", boards.All().Select(b => b.Board.Nickname));

    [Fact]
    public void What_was_not_committed_is_as_before_and_others_see_nothing_of_it()
    {
        using (database.Begin())
        {
            Save("Quince");
            Assert.Equal("Quince", Names());
            Assert.Equal("", Elsewhere(Names));
        }
        Assert.Equal("", Names());
        using (var unit = database.Begin())
        {
            Save("Quince");
            Save("Medlar");
            unit.Commit();
        }
        Assert.Equal("Quince Medlar", Elsewhere(Names));
    }

    [Fact]
    public void An_inner_one_that_is_given_up_leaves_the_outer_one_whole()
    {
        using (var outer = database.Begin())
        {
            Save("Quince");
            using (database.Begin())
                Save("Medlar");
            using (var inner = database.Begin())
            {
                Save("Russet");
                inner.Commit();
            }
            outer.Commit();
        }
        Assert.Equal("Quince Russet", Names());
        using (database.Begin())
        using (var inner = database.Begin())
        {
            Save("Pippin");
            inner.Commit();
        }
        Assert.Equal("Quince Russet", Names());
    }

    [Fact]
    public void What_is_to_be_done_when_it_is_over_is_done_then_and_at_once_without_one()
    {
        var done = new List<string>();
        UnitOfWork.WhenOver(() => done.Add("at once"));
        using (var outer = database.Begin())
        {
            using (var inner = database.Begin())
            {
                UnitOfWork.WhenOver(() => done.Add(Elsewhere(Names)));
                Save("Quince");
                inner.Commit();
            }
            Assert.Equal(["at once"], done);
            outer.Commit();
        }
        Assert.Equal(["at once", "Quince"], done);
        using (database.Begin())
            UnitOfWork.WhenOver(() => done.Add("given up"));
        Assert.Equal(["at once", "Quince", "given up"], done);
    }

    [Fact]
    public void It_waits_for_another_writer_and_one_of_another_file_is_another_one()
    {
        using var other = Database.Open(Path.Combine(folder, "other.db")).Value!;
        using (var unit = database.Begin())
        {
            Save("Quince");
            using (var second = other.Begin())
            {
                Assert.Empty(new BoardStore(other).All());
                second.Commit();
            }
            unit.Commit();
        }
        Assert.Equal("Quince", Names());
        using (database.Begin())
        {
            var busy = Assert.Throws<SqliteException>(() => Elsewhere(() => Quickly(database)));
            Assert.Equal(5, busy.SqliteErrorCode);
        }
    }

    private static string Quickly(Database database)
    {
        using var connection = database.Connect();
        connection.DefaultTimeout = 1;
        using var command = connection.CreateCommand();
        command.CommandText = "BEGIN IMMEDIATE";
        command.ExecuteNonQuery();
        return "begun";
    }

    /// <summary>Asks on a thread of its own, as another request does.</summary>
    private static string Elsewhere(Func<string> ask)
    {
        var (said, wrong) = ("", (Exception?)null);
        var thread = new Thread(() =>
        {
            try
            {
                said = ask();
            }
            catch (SqliteException e)
            {
                wrong = e;
            }
        });
        thread.Start();
        thread.Join();
        return wrong is null ? said : throw wrong;
    }
}
