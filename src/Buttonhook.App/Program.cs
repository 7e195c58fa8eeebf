Console.WriteLine(1);
