return await Buttonhook.App.CommandLine.Run(args);
