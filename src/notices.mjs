// The third-party notices that ship: every package of the lock files with its licence and the text of it.
// Run: node src/notices.mjs OUT [PROJECT]; ends with 1 when a package has a licence that is not in the list below, or none.
import { existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { homedir } from "node:os";
import { join } from "node:path";

const [out, project = join(import.meta.dirname, "..")] = process.argv.slice(2);

/** SPDX names of licences that let what they cover be shipped with this program, with a notice. */
const known = ["0BSD", "Apache-2.0", "BSD-2-Clause", "BSD-3-Clause", "ISC", "MIT", "OFL-1.1", "Unlicense"];

/** A licence as an SPDX expression: one known name, a choice with a known one, or several that are all known. */
const isKnown = (licence) =>
  !!licence &&
  licence
    .replace(/[()]/g, "")
    .split(/\s+AND\s+/)
    .every((all) => all.split(/\s+OR\s+/).some((one) => known.includes(one.trim())));

/** Packages that name no licence in the usual way, as the address in them says. */
const elsewhere = { "K4os.Compression.LZ4": "MIT" };

const textIn = (folder) => {
  const file = existsSync(folder) && readdirSync(folder).find((f) => /^(licen[cs]e|copying|ofl)(\.|$)/i.test(f));
  return file ? readFileSync(join(folder, file), "utf8").trim() : "";
};

/** What the page is made of: all that its lock file names and that is not for building alone. */
function page() {
  const { packages } = JSON.parse(readFileSync(join(project, "src/web/package-lock.json"), "utf8"));
  return Object.entries(packages)
    .filter(([path, p]) => path && !p.dev && !p.optional && !p.peer)
    .map(([path, p]) => ({
      name: path.replace(/^.*node_modules\//, ""),
      version: p.version,
      licence: p.license,
      text: textIn(join(project, "src/web", path)),
    }));
}

/** What the server is made of. */
function server() {
  const lock = JSON.parse(readFileSync(join(project, "src/Buttonhook.App/packages.lock.json"), "utf8"));
  const found = new Map();
  for (const framework of Object.values(lock.dependencies))
    for (const [name, p] of Object.entries(framework))
      if (p.type !== "Project") found.set(name, p.resolved);
  return [...found].map(([name, version]) => {
    const folder = join(process.env.NUGET_PACKAGES ?? join(homedir(), ".nuget/packages"), name.toLowerCase(), version.toLowerCase());
    const file = join(folder, `${name.toLowerCase()}.nuspec`);
    const nuspec = existsSync(file) ? readFileSync(file, "utf8") : "";
    const expression = /<license type="expression">([^<]+)</.exec(nuspec)?.[1];
    const inFile = /<license type="file">([^<]+)</.exec(nuspec)?.[1];
    const text = inFile && existsSync(join(folder, inFile)) ? readFileSync(join(folder, inFile), "utf8").trim() : textIn(folder);
    // A licence that lies beside as a file is told by its first words.
    const told = /\bMIT License\b/i.test(text) || /Permission is hereby granted, free of charge/.test(text) ? "MIT" : /Apache License\s+Version 2\.0/.test(text) ? "Apache-2.0" : undefined;
    return { name, version, licence: expression ?? told ?? elsewhere[name], text, copyright: /<copyright>([^<]+)</.exec(nuspec)?.[1] };
  });
}

const all = [...server(), ...page()].sort((a, b) => a.name.localeCompare(b.name));
const unknown = all.filter((p) => !isKnown(p.licence));
if (unknown.length > 0) {
  for (const p of unknown)
    console.error(
      `${p.name} ${p.version} should have one of the licences ${known.join(", ")}. It has ${p.licence ?? "none that is told"}. Read it, and either add it to src/notices.mjs or leave the package out.`,
    );
  process.exit(1);
}
const notices = all.map((p) => [`${p.name} ${p.version}: ${p.licence}`, p.copyright, p.text].filter(Boolean).join("\n\n"));
writeFileSync(
  out,
  `Buttonhook ships with the following packages of others, each under its own licence.\n\n${notices.join(`\n\n${"-".repeat(80)}\n\n`)}\n`,
);
