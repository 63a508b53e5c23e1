// Builds the styles and copies scripts and fonts into static/ui. Run by `npm run build`; CI fails when the result differs.
import { execFileSync } from "node:child_process";
import { copyFileSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const here = dirname(fileURLToPath(import.meta.url));
const root = join(here, "..", "..");
const packages = join(root, "node_modules");
const out = join(here, "static", "ui");

execFileSync(
  process.execPath,
  [
    join(packages, "@tailwindcss", "cli", "dist", "index.mjs"),
    "--input", join(here, "source", "brisk.css"),
    "--output", join(out, "brisk.css"),
    "--minify",
  ],
  { stdio: ["ignore", "ignore", "inherit"] },
);

// Source maps are not shipped, and a comment that names one stops the hashing of file names.
const withoutMap = (text) => text.replace(/\n?\/\/# sourceMappingURL=.*\n?$/, "\n");
const copyScript = (from, to) => writeFileSync(join(out, to), withoutMap(readFileSync(join(packages, from), "utf8")));
copyScript("@alpinejs/csp/dist/cdn.min.js", "alpine.js");
copyScript("@alpinejs/morph/dist/cdn.min.js", "morph.js");
copyScript("tus-js-client/dist/tus.min.js", "tus.js");
copyFileSync(join(packages, "axe-core", "axe.min.js"), join(here, "..", "browser_tests", "assets", "axe.min.js"));

for (const family of ["next", "mono"]) {
  const name = `atkinson-hyperlegible-${family}`;
  const from = join(packages, "@fontsource-variable", name);
  for (const part of ["latin", "latin-ext"]) {
    copyFileSync(join(from, "files", `${name}-${part}-wght-normal.woff2`), join(out, "fonts", `${name}-${part}.woff2`));
  }
  copyFileSync(join(from, "LICENSE"), join(out, "fonts", `${name}-LICENSE.txt`));
}
