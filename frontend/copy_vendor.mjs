// Copies the browser libraries that Papiermappe ships, with their licences and a manifest, into static/vendor.
// With --check it changes nothing and fails where copying again would.
import { createHash } from "node:crypto";
import { mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync, existsSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import { fileURLToPath } from "node:url";

const here = dirname(fileURLToPath(import.meta.url));
const target = join(here, "../src/papiermappe/web/static/vendor");
const tests = join(here, "../tests/browser/vendor");
const icons = [
  "arrow-back-up", "arrow-forward-up", "download", "external-link", "file-text", "folder", "plug-connected-x", "plus", "search",
];

const files = [
  ["bootstrap", "dist/css/bootstrap.min.css", "bootstrap.min.css"],
  ["bootstrap", "LICENSE", "LICENSE.bootstrap.txt"],
  ["@alpinejs/csp", "dist/cdn.min.js", "alpine-csp.min.js"],
  ["@fontsource-variable/atkinson-hyperlegible-next", "files/atkinson-hyperlegible-next-latin-wght-normal.woff2", "atkinson-hyperlegible-next.woff2"],
  ["@fontsource-variable/atkinson-hyperlegible-next", "files/atkinson-hyperlegible-next-latin-ext-wght-normal.woff2", "atkinson-hyperlegible-next-ext.woff2"],
  ["@fontsource-variable/atkinson-hyperlegible-next", "LICENSE", "LICENSE.atkinson-hyperlegible-next.txt"],
  ["@fontsource/ibm-plex-mono", "files/ibm-plex-mono-latin-400-normal.woff2", "ibm-plex-mono.woff2"],
  ["@fontsource/ibm-plex-mono", "files/ibm-plex-mono-latin-600-normal.woff2", "ibm-plex-mono-600.woff2"],
  ["@fontsource/ibm-plex-mono", "LICENSE", "LICENSE.ibm-plex-mono.txt"],
  ["@tabler/icons", "LICENSE", "LICENSE.tabler-icons.txt"],
  ...icons.map((name) => ["@tabler/icons", `icons/outline/${name}.svg`, `icons/${name}.svg`]),
];
const testFiles = [["axe-core", "axe.min.js", "axe.min.js"], ["axe-core", "LICENSE", "LICENSE.axe-core.txt"]];

function version(name) {
  return JSON.parse(readFileSync(join(here, "node_modules", name, "package.json"))).version;
}

function collected(list) {
  const contents = new Map();
  const manifest = [];
  for (const [name, source, to] of list) {
    let data = readFileSync(join(here, "node_modules", name, source));
    if (to.endsWith(".css") || to.endsWith(".js")) {
      data = Buffer.from(data.toString().replace(/\n?\/[*/][#@] sourceMappingURL=.*$/m, "").trimEnd() + "\n");
    }
    contents.set(to, data);
    manifest.push({ file: to, package: name, version: version(name), sha256: createHash("sha256").update(data).digest("hex") });
  }
  contents.set("manifest.json", Buffer.from(JSON.stringify(manifest, null, 1) + "\n"));
  return contents;
}

function present(folder) {
  if (!existsSync(folder)) return [];
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => relative(folder, join(entry.parentPath ?? entry.path, entry.name)));
}

let differs = false;
for (const [folder, list] of [[target, files], [tests, testFiles]]) {
  const contents = collected(list);
  if (process.argv.includes("--check")) {
    const same = [...contents].every(([to, data]) => existsSync(join(folder, to)) && readFileSync(join(folder, to)).equals(data));
    differs ||= !same || present(folder).length !== contents.size;
    continue;
  }
  rmSync(folder, { recursive: true, force: true });
  for (const [to, data] of contents) {
    mkdirSync(dirname(join(folder, to)), { recursive: true });
    writeFileSync(join(folder, to), data);
  }
}
if (differs) {
  console.error("The shipped browser libraries are not what package-lock.json gives: run npm run copy.");
  process.exit(1);
}
