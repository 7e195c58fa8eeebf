return await Buttonhook.App.Commands.CommandLine.Run(args);
