import type { DryBoot } from "../shared/api";
import { StageButton } from "../shared/StageButton";
import { stageNames } from "../shared/words";

const verdicts = {
  boots: "It boots",
  "does-not-boot": "It does not boot",
  "cannot-tell": "It cannot be told whether it boots",
};
const results = { passed: "reached", failed: "stopped", "cannot-tell": "hidden" };
const resultWords = { passed: "in order", failed: "broken", "cannot-tell": "cannot be told" };

/** The links of the boot chain as a thread that is whole or torn, the verdict, and what mends it. */
export function DryBootChain({ dry }: { dry: DryBoot }) {
  const broken = dry.steps.filter((s) => s.cause !== null);
  return (
    <>
      <h3 className={`verdict ${dry.verdict}`}>{verdicts[dry.verdict]} on this board</h3>
      <ol className="standing-placket chain" aria-label="Links of the boot chain">
        {dry.steps.map((s, n) => (
          <li key={`${s.text} ${s.file}`} className={`stage-row stage-${results[s.result]}`}>
            <span
              className={`thread ${n === dry.steps.length - 1 ? "none" : s.result === "failed" ? "torn" : s.result === "passed" ? "whole" : "open"}`}
            />
            <StageButton state={results[s.result]} size={30} />
            <span className="stage-text">
              <span className="stage-name">{s.text}</span>
              <span className="visually-hidden">, {resultWords[s.result]}</span>
              <span className="stage-times">
                {stageNames[s.stage].toLowerCase()}
                {s.file && `, ${s.file}`}
              </span>
            </span>
          </li>
        ))}
      </ol>
      {broken.map((c) => (
        <div key={`${c.text} ${c.file}`} className="next-check">
          <strong>{c.fix}</strong> <code>{c.cause}</code>
          {c.edit && (
            <p className="edit">
              {c.edit.path}, line {c.edit.line}: {c.edit.before !== null && <del>{c.edit.before}</del>}{" "}
              <ins>{c.edit.after}</ins>
            </p>
          )}
        </div>
      ))}
    </>
  );
}
