import { Button } from "react-bootstrap";
import { ListPage } from "../shared/ListPage";
import { ProblemNote } from "../shared/ProblemNote";
import { useRules } from "../shared/queries";
import { stageNames } from "../shared/words";
import { CauseRules } from "./CauseRules";
import styles from "./Diagnose.module.css";
import { useImportRules, useRuleState } from "./queries";

/** Every cause that the rule book knows, with its observations; rules are added, switched off, taken out and in. */
export default function RuleBookPage() {
  const rules = useRules();
  const state = useRuleState();
  const take = useImportRules();
  const judging = state.data && state.data.judged < state.data.of;
  return (
    <ListPage
      title="Rule book"
      lead="Why a first boot fails: each cause with what it looks like, the cheapest check and the fix, and what it is recognised by."
      rows={rules.data}
      error={rules.error}
      hint="Filter by name, stage or what it looks like"
      more={(r) => [r.id, r.fix, r.check, ...r.observations.map((o) => o.observes)].join(" ")}
      tools={
        <div className={styles.answers}>
          <a className="btn btn-outline-secondary" href="/api/rules/own.yaml" download="buttonhook-rules.yaml">
            Take my rules out
          </a>
          <label className="btn btn-outline-secondary">
            Take rules in
            <input
              type="file"
              className="visually-hidden"
              accept=".yaml,.yml"
              onChange={(e) => {
                const file = e.target.files?.[0];
                if (file) void file.text().then((text) => take.mutate(text));
                e.target.value = "";
              }}
            />
          </label>
        </div>
      }
      above={
        <>
          <ProblemNote error={take.error ?? state.data?.trouble} />
          {state.data && (state.data.own > 0 || state.data.off > 0) && (
            <p>
              {state.data.own} of your own, {state.data.off} switched off.
            </p>
          )}
          {judging && (
            <p role="status">
              Judging the kept logs again: {state.data?.judged} of {state.data?.of}.
            </p>
          )}
          {take.isSuccess && (
            <p role="status">
              The rules were taken in.{" "}
              <Button variant="link" size="sm" onClick={() => take.reset()}>
                Good
              </Button>
            </p>
          )}
        </>
      }
      columns={[
        { name: "Cause", show: (r) => r.name, by: (r) => r.name },
        { name: "Stage", show: (r) => stageNames[r.stage], by: (r) => Object.keys(stageNames).indexOf(r.stage) },
        { name: "What it looks like", show: (r) => r.looksLike, by: (r) => r.looksLike },
      ]}
      empty={<p>The rule book is empty: its files are missing from the installation. Build Buttonhook again.</p>}
      details={(r) => <CauseRules cause={r} />}
    />
  );
}
