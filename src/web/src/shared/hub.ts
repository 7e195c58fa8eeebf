import { HubConnectionBuilder, LogLevel } from "@microsoft/signalr";

/** The one connection on which the server tells what changed; it comes back by itself. */
export const hub = new HubConnectionBuilder()
  .withUrl("/hub")
  .withAutomaticReconnect([0, 500, 1000, 2000, 5000, 10000])
  .configureLogging(LogLevel.None)
  .build();

let started: Promise<void> | null = null;

/** Starts the connection once; a server that is not there yet is no error of the page. */
export function startHub(): Promise<void> {
  started ??= hub.start().catch(() => {
    started = null;
  });
  return started;
}
