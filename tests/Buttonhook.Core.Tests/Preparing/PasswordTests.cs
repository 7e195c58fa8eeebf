using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Tests.Preparing;

public class PasswordTests
{
    /// <summary>As crypt(3) and openssl passwd -6 give them.</summary>
    [Theory]
    [InlineData(
        "Hello world!",
        "saltstring",
        null,
        "$6$saltstring$svn8UoSVapNtMuq1ukKS4tPQd8iKwSMHWjl/O817G3uBnIFNjnQJuesI68u4OTLiBFdcbYEdFCoEOfaS35inz1"
    )]
    [InlineData(
        "xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx",
        "0123456789abcdef",
        null,
        "$6$0123456789abcdef$aMqNf.eV1.F/kHG/PEL81Pb27I7rzRTDeKdTlYCjj3airFUvYUi1V5OMp2naCZ9mb51oc5cCLILVi/.dIJETu1"
    )]
    [InlineData(
        "Grüße",
        "anotherlongsalt",
        1400,
        "$6$rounds=1400$anotherlongsalt$.VcuARq0IyQM6/jZUrocE1Ol7xGaqjETB7fCsN1Z92RhTNcrkyKicwqqaOvRibaRCL00mxiHVokp.ZKzfRNWD/"
    )]
    public void Crypt_gives_what_the_system_gives(string password, string salt, int? rounds, string crypt) =>
        Assert.Equal(crypt, Passwords.Crypt(password, salt, rounds));

    [Fact]
    public void Every_password_gets_a_salt_of_its_own() =>
        Assert.Equal(20, Enumerable.Range(0, 20).Select(_ => Passwords.Crypt("x")).Distinct().Count());

    /// <summary>IEEE 802.11i, annex H.4.</summary>
    [Theory]
    [InlineData("IEEE", "password", "f42c6fc52df0ebef9ebb4b90b38a5f902e83fe1b135a70e23aed762e9710a12e")]
    [InlineData("ThisIsASSID", "ThisIsAPassword", "0dc0d6eb90555ed6419756b9a15ec3e3209b63df707dd508d14581f8982721af")]
    public void A_wireless_key_is_derived_as_the_standard_says(string name, string password, string key) =>
        Assert.Equal(key, Passwords.WirelessKey(name, password).Value);

    [Theory]
    [InlineData("orchard", "short")]
    [InlineData("orchard", "größergleich")]
    [InlineData("", "long enough")]
    [InlineData("a name that is much longer than thirty-two", "long enough")]
    public void What_no_network_takes_is_refused(string name, string password) =>
        Assert.NotNull(Passwords.WirelessKey(name, password).Problem);
}
