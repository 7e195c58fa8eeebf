import type { DryBoot, Stage } from "../shared/api";
import stageBar from "../shared/StageBar.module.css";
import { StageButton } from "../shared/StageButton";
import { stageNames, stateWords } from "../shared/words";
import styles from "./DryBootChain.module.css";

const verdicts = {
  boots: "It boots",
  "does-not-boot": "It does not boot",
  "cannot-tell": "It cannot be told whether it boots",
};
const results = { passed: "reached", failed: "stopped", "cannot-tell": "hidden" };
const resultWords = { passed: "in order", failed: "broken", "cannot-tell": "cannot be told" };

const stages: readonly Stage[] = ["first-loader", "second-loader", "kernel", "root", "services", "login"];

/** Stages behind the link where the boot ends; none when it goes on. */
function behind(dry: DryBoot): Stage[] {
  const last = dry.steps.at(-1);
  return dry.verdict === "does-not-boot" && last ? stages.slice(stages.indexOf(last.stage) + 1) : [];
}

/** The links of the boot chain as a thread that is whole or torn, the verdict, and what mends it. */
export function DryBootChain({ dry }: { dry: DryBoot }) {
  const broken = dry.steps.filter((s) => s.cause !== null);
  const ahead = behind(dry);
  return (
    <>
      <h3 className={`${styles.verdict} ${styles[dry.verdict]}`}>{verdicts[dry.verdict]} on this board</h3>
      <ol className={`${stageBar.standing} ${styles.chain}`} aria-label="Links of the boot chain">
        {dry.steps.map((s, n) => (
          <li key={`${s.text} ${s.file}`} className={`${stageBar.row} ${stageBar[results[s.result]]}`}>
            <span
              className={`${stageBar.thread} ${stageBar[n === dry.steps.length - 1 && ahead.length === 0 ? "none" : s.result === "failed" ? "torn" : s.result === "passed" ? "whole" : "dashed"]}`}
            />
            <StageButton state={results[s.result]} size={30} />
            <span className={stageBar.text}>
              <span className={stageBar.name}>{s.text}</span>
              <span className="visually-hidden">, {resultWords[s.result]}</span>
              <span className={stageBar.times}>
                {s.link}
                {s.file && `, ${s.file}`}
              </span>
            </span>
          </li>
        ))}
        {ahead.map((stage, n) => (
          <li key={stage} className={`${stageBar.row} ${stageBar.open}`}>
            <span className={`${stageBar.thread} ${n === ahead.length - 1 ? stageBar.none : stageBar.dashed}`} />
            <StageButton state="open" size={30} />
            <span className={stageBar.text}>
              <span className={stageBar.name}>{stageNames[stage]}</span>
              <span className={stageBar.times}>{stateWords.open}</span>
            </span>
          </li>
        ))}
      </ol>
      {broken.length > 1 && <p>{broken.length} links are broken. In this order they are mended:</p>}
      <div className={styles.mends}>
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
      </div>
    </>
  );
}
