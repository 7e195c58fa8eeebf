import type { Catalogue } from "../shared/api";
import { Facts } from "../shared/Facts";
import { ListPage } from "../shared/ListPage";
import { useCatalogue } from "../shared/queries";
import { OwnPart } from "./OwnPart";

const levels: Record<string, string> = { logic18: "1.8 V", logic33: "3.3 V", logic5: "5 V", rs232: "RS-232" };

/** Everything of the catalogue that is put to a board, as one list. */
function partsOf(catalogue: Catalogue) {
  return [
    ...catalogue.supplies.map((s) => ({
      id: s.id,
      name: s.name,
      kind: "supply" as const,
      says: `${s.volts} V, ${s.amps} A`,
      facts: [
        ["Plug", s.plug ?? "not known"],
        ["Before negotiation", s.ampsUntilAsked && `${s.ampsUntilAsked} A`],
      ] as [string, React.ReactNode][],
    })),
    ...catalogue.parts.map((p) => ({
      id: p.id,
      name: p.name,
      kind: "part" as const,
      says: `takes ${p.amps} A when it starts`,
      facts: [["Hangs on", p.onUsb ? "a USB socket" : "the board's own pins"]] as [string, React.ReactNode][],
    })),
    ...catalogue.adapters.map((a) => ({
      id: a.id,
      name: a.name,
      kind: "adapter" as const,
      says: `${a.levels.map((l) => levels[l] ?? "level not known").join(" or ")}, up to ${a.maxSpeed.toLocaleString("en")} bits a second`,
      facts: [
        ["Ends in", a.connector],
        ["Pins, in their order", a.pins?.map((p) => `${p.name}${p.colour ? ` (${p.colour})` : ""}`).join(", ")],
      ] as [string, React.ReactNode][],
    })),
  ];
}

const kindNames = { supply: "Supply", part: "Fed part", adapter: "Console adapter" };

/** Supplies, fed parts and console adapters: those that ship and one's own. */
export default function PartsPage() {
  const catalogue = useCatalogue();
  const own = (id: string) => id.startsWith("own-");
  return (
    <ListPage
      title="Parts drawer"
      lead="Supplies, parts that a board feeds, and console adapters: what a board's budget and wires are computed from."
      rows={catalogue.data && partsOf(catalogue.data)}
      error={catalogue.error}
      hint="Filter by name, kind or volts"
      columns={[
        { name: "Part", show: (p) => p.name, by: (p) => p.name },
        { name: "Kind", show: (p) => kindNames[p.kind], by: (p) => kindNames[p.kind] },
        { name: "As printed", show: (p) => p.says, by: (p) => p.says },
        {
          name: "From",
          show: (p) => (own(p.id) ? "your own" : "with Buttonhook"),
          by: (p) => (own(p.id) ? "your own" : "with Buttonhook"),
        },
      ]}
      above={catalogue.data && <OwnPart catalogue={catalogue.data} onAdded={() => undefined} />}
      empty={<p>No part is here yet. Add one by what is printed on it.</p>}
      details={(p) => <Facts facts={p.facts} />}
      removable={(p) => (own(p.id) ? p.kind : null)}
      removedKinds={["supply", "part", "adapter"]}
    />
  );
}
