// The ids of the causes as constants, out of the rule book: node src/cause-ids.mjs
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const project = join(import.meta.dirname, "..");
const book = join(project, "data/knowledge/rulebook");
const causes = readdirSync(book)
  .sort()
  .flatMap((file) => [...readFileSync(join(book, file), "utf8").matchAll(/^ {2}- id: (\S+)\n {4}name: (.+)$/gm)])
  .map(([, id, name]) => ({ id, name: name.replace(/^"|"$/g, "") }))
  .sort((a, b) => (a.id < b.id ? -1 : 1));
const constant = (id) => id.replace(/(^|-)([a-z0-9])/g, (_, dash, letter) => letter.toUpperCase());
writeFileSync(
  join(project, "src/Buttonhook.Core/CauseIds.cs"),
  `namespace Buttonhook.Core;

/// <summary>The ids of the causes that code names; made out of data/knowledge/rulebook by src/cause-ids.mjs.</summary>
public static class CauseIds
{
${causes.map(({ id, name }) => `    /// <summary>${name.replace(/&/g, "&amp;").replace(/</g, "&lt;")}.</summary>\n    public const string ${constant(id)} = "${id}";`).join("\n\n")}
}
`,
);
