import { InspectPanel } from "./InspectPanel";
import { ProblemNote } from "../shared/ProblemNote";
import { useCatalogue } from "../shared/queries";
import { binary, decimal, memory } from "../shared/words";

const sets: Record<string, string> = {
  armhf: "32-bit ARM",
  arm64: "64-bit ARM",
  riscv64: "64-bit RISC-V",
  amd64: "x86-64",
};

/** All images with what decides where they start. */
export function ImageShelfPage() {
  const catalogue = useCatalogue();
  const models = new Map(catalogue.data?.models.map((m) => [m.id, m.name]));
  return (
    <main className="page wide" id="page">
      <title>Image shelf · Buttonhook</title>
      <h1>Image shelf</h1>
      <InspectPanel />
      <h2>Images of the catalogue</h2>
      <ProblemNote error={catalogue.error} />
      <div className="table-scroll" tabIndex={0} role="region" aria-label="Images">
        <table className="table">
          <thead>
            <tr>
              <th scope="col">Image</th>
              <th scope="col">For</th>
              <th scope="col">Kernel</th>
              <th scope="col">Download, expanded</th>
              <th scope="col">Card</th>
              <th scope="col">Memory</th>
              <th scope="col">Console</th>
            </tr>
          </thead>
          <tbody>
            {catalogue.data?.images.map((i) => (
              <tr key={i.id} id={i.id}>
                <th scope="row">
                  {i.title}
                  {i.longTermUntil && <span className="quiet"> to {i.longTermUntil}</span>}
                </th>
                <td>
                  {i.supports.map((s) => `${models.get(s.model) ?? s.model} ${s.revisions.join(", ")}`).join("; ")}
                  <span className="quiet"> {sets[i.instructionSet]}</span>
                </td>
                <td>{i.kernel}</td>
                <td>
                  {decimal(i.downloadBytes)}, {binary(i.expandedBytes)}
                </td>
                <td>
                  {i.smallestCardGb} GB, better {i.recommendedCardGb}
                </td>
                <td>
                  {memory(i.minimumMemoryMiB)}, better {memory(i.comfortableMemoryMiB)}
                </td>
                <td>{i.consoleDevice ? <code>{`${i.consoleDevice},${i.consoleSpeed}`}</code> : "none"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </main>
  );
}
