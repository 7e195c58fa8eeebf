import { Facts } from "../shared/Facts";
import { ListPage } from "../shared/ListPage";
import { useRules } from "../shared/queries";
import { stageNames } from "../shared/words";

/** Every cause that the rule book knows. */
export default function RuleBookPage() {
  const rules = useRules();
  return (
    <ListPage
      title="Rule book"
      lead="Why a first boot fails: each cause with what it looks like, the cheapest check and the fix."
      rows={rules.data}
      error={rules.error}
      hint="Narrow by name, stage or what it looks like"
      more={(r) => [r.id, r.fix, r.check].join(" ")}
      columns={[
        { name: "Cause", show: (r) => r.name, by: (r) => r.name },
        { name: "Stage", show: (r) => stageNames[r.stage], by: (r) => Object.keys(stageNames).indexOf(r.stage) },
        { name: "What it looks like", show: (r) => r.looksLike, by: (r) => r.looksLike },
      ]}
      empty={<p>The rule book is empty: its files are missing from the installation. Build Buttonhook again.</p>}
      details={(r) => (
        <Facts
          facts={[
            ["Check", r.check],
            ["Fix", r.fix],
            ["Recognised by", `${r.observations} ${r.observations === 1 ? "observation" : "observations"}`],
            ["Name in files", <code>{r.id}</code>],
          ]}
        />
      )}
    />
  );
}
