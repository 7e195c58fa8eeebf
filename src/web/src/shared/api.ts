import createClient from "openapi-fetch";
import type { components, paths } from "./wire";

type Schemas = components["schemas"];
export type Import = Schemas["Import"];
export type ImportedBoard = Schemas["ImportedBoard"];
export type BoardSummary = Schemas["BoardSummary"];
export type BoardView = Schemas["BoardView"];
export type BoardInput = Schemas["BoardInput"];
export type BoardProfile = Schemas["BoardProfile"];
export type BoardPhoto = Schemas["BoardPhoto"];
export type BootView = Schemas["BootView"];
export type BootRow = Schemas["BootRow"];
export type ProfileDraft = Schemas["ProfileDraft"];
export type CardOrder = Schemas["CardOrder"];
export type CardSlot = Schemas["CardSlot"];
export type CardWrite = Schemas["CardWrite"];
export type Catalogue = Schemas["Catalogue"];
export type CheckAnswer = NonNullable<Schemas["CheckAnswer"]>;
export type AskStep = Schemas["AskStep"];
export type OneStart = Schemas["OneStart"];
export type SystemTold = Schemas["SystemTold"];
export type StageTimes = Schemas["StageTimes"];
export type StartsAsked = Schemas["StartsAsked"];
export type OfferedTrial = Schemas["OfferedTrial"];
export type TriedView = Schemas["TriedView"];
export type TrialEdit = Schemas["TrialEdit"];
export type Clues = Schemas["CluesInput"];
export type Correction = Schemas["Correction"];
export type Diagnosis = Schemas["Diagnosis"];
export type ConsoleLevel = Schemas["ConsoleLevel"];
export type DrawnPin = Schemas["DrawnPin"];
export type FlowControl = Schemas["FlowControl"];
export type BootStart = Schemas["BootStart"];
export type FoundLogs = Schemas["FoundLogs"];
export type LineSettings = Schemas["LineSettings"];
export type PortChoice = Schemas["PortChoice"];
export type Sequence = Schemas["Sequence"];
export type DryBoot = Schemas["DryBoot"];
export type EditView = Schemas["EditView"];
export type FirstBootInput = Schemas["FirstBootInput"];
export type Identified = Schemas["Identified"];
export type ImageProfile = Schemas["ImageProfile"];
export type Inspection = Schemas["Inspection"];
export type InstructionSet = Schemas["InstructionSet"];
export type LineView = Schemas["LineView"];
export type MatchRow = Schemas["MatchRow"];
export type NextThing = Schemas["NextThing"];
export type OwnRule = Schemas["OwnRule"];
export type PartInput = Schemas["PartInput"];
export type BarStage = Schemas["BarStage"];
export type Preparation = Schemas["Preparation"];
export type Problem = Schemas["Problem"];
export type RankedCause = Schemas["RankedCause"];
export type RuleRow = Schemas["RuleRow"];
export type WorkStep = Schemas["WorkStep"];
export type BatchBoardView = Schemas["BatchBoardView"];
export type BatchInput = Schemas["BatchInput"];
export type LoginTask = Schemas["LoginTask"];
export type LoginTaskState = Schemas["LoginTaskState"];
export type MovePlan = Schemas["MovePlan"];
export type MoveStep = Schemas["MoveStep"];
export type MoveTarget = Schemas["MoveTarget"];
export type PairCount = Schemas["PairCount"];
export type PracticeRoundView = Schemas["PracticeRoundView"];
export type JudgedRound = Schemas["JudgedRound"];
export type JudgedStep = Schemas["JudgedStep"];
export type PracticeStepView = Schemas["PracticeStepView"];
export type KeptSettings = Schemas["KeptSettings"];
export type ReadSettings = Schemas["ReadSettings"];
export type Setting = Schemas["Setting"];
export type SettingDifference = Schemas["SettingDifference"];
export type WorkingSettings = Schemas["WorkingSettings"];
export type Standing = Schemas["Standing"];
export type SimulatedCardSetup = Schemas["SimulatedCardSetup"];
export type Stage = Schemas["Stage"];
export type Wiring = Schemas["Wiring"];

/** A problem that the server told in its three parts. */
export class ProblemError extends Error {
  readonly problem: Problem;

  constructor(problem: Problem) {
    super([problem.expected, problem.came, problem.toDo].join(" "));
    this.problem = problem;
  }
}

/** Characters that turn the direction of text round, as an answer has them (Unicode Annex 9; the server escapes them all). */
const turning = /(?<!\\)((?:\\\\)*)\\u(?:061[Cc]|200[EFef]|202[A-Ea-e]|206[6-9])/g;

/** An answer as it is shown: what turns text round stands as a mark, so that what is read is what is there. */
async function shown(request: Request): Promise<Response> {
  const response = await fetch(request);
  if (!response.headers.get("Content-Type")?.includes("json")) return response;
  const text = await response.text();
  return new Response(response.status === 204 ? null : text.replace(turning, "$1\u00A4"), response);
}

const client = createClient<paths>({ baseUrl: location.origin, fetch: shown });
export const { GET, POST, PUT, DELETE } = client;

/** The data of an answer, or a `ProblemError`; a server that does not answer is a problem too. */
export async function answer<T>(request: Promise<{ data?: T; error?: unknown }>): Promise<T> {
  let result;
  try {
    result = await request;
  } catch {
    throw new ProblemError({
      expected: "Buttonhook should be running.",
      came: "It does not answer.",
      toDo: "Start it again with ./buttonhook serve; nothing that was stored is lost.",
    });
  }
  if (result.error !== undefined) throw new ProblemError(asProblem(result.error));
  return result.data as T;
}

/** Anything thrown or answered, as a problem. */
export function asProblem(error: unknown): Problem {
  if (error instanceof ProblemError) return error.problem;
  if (typeof error === "object" && error !== null && "expected" in error) return error as Problem;
  return { expected: "This should have worked.", came: "The answer cannot be read.", toDo: "Reload the page." };
}
export type ProfileFileInput = Schemas["ProfileFileInput"];
export type TakenExperience = Schemas["TakenExperience"];
export type Statistics = Schemas["Statistics"];
