// Looks at report pages in a real browser, without a screen: node check.mjs CHROMIUM PAGE…
// Of every page: nothing in the console, no request, no finding of the accessibility checker and of the validator, at
// three widths, light, dark and printed, with and without script. Of the first page also what can be done on it.
// Prints one line a finding; exits 1 if there is any.
import { spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { pathToFileURL } from "node:url";
import { createRequire } from "node:module";

const require = createRequire(import.meta.url);
const { chromium } = require("playwright-core");
const axe = readFileSync(require.resolve("axe-core/axe.min.js"), "utf8");
const vnu = require.resolve("vnu-jar/build/dist/vnu.jar");

const [browserProgram, ...pages] = process.argv.slice(2);
const findings = [];
let looked = 0;
const expect = (holds, finding) => {
  looked += 1;
  if (!holds) findings.push(finding);
};

const WIDTHS = [360, 1280, 2560];
const RULES = { runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"] };

// Opens a page; whatever it says in the console, or asks for, is a finding.
const open = async (browser, file, options) => {
  const context = await browser.newContext(options);
  const page = await context.newPage();
  const url = pathToFileURL(file).href;
  page.on("console", (message) => findings.push(`${file}: console: ${message.text()}`));
  page.on("pageerror", (error) => findings.push(`${file}: error: ${error.message}`));
  page.on("request", (request) => {
    const asked = request.url();
    if (asked.split("#")[0] !== url && !asked.startsWith("data:")) findings.push(`${file}: asks for ${asked}`);
  });
  await page.goto(url);
  return page;
};

const accessible = async (page, where) => {
  // The checker itself is not bound by the page's policy, since the driver brings it in.
  const told = await page.evaluate(async ({ axe, rules }) => {
    if (!globalThis.axe) (0, eval)(axe);
    const { violations } = await globalThis.axe.run(document, rules);
    return violations.flatMap((rule) => rule.nodes.map((node) => `${rule.id}: ${node.target} ${node.html.slice(0, 160)}`));
  }, { axe, rules: RULES });
  looked += 1;
  findings.push(...told.map((one) => `${where}: ${one}`));
};

const fits = async (page, where) => {
  const [wide, room] = await page.evaluate(() => [document.documentElement.scrollWidth, innerWidth]);
  // A pixel may come of rounding.
  expect(wide <= room + 1, `${where}: is ${wide} pixels wide in ${room}`);
};

const looks = async (browser, file) => {
  for (const width of WIDTHS) {
    for (const colorScheme of ["light", "dark"]) {
      const where = `${file} at ${width}, ${colorScheme}`;
      const options = { viewport: { width, height: 800 }, colorScheme, bypassCSP: true };
      const page = await open(browser, file, options);
      await fits(page, where);
      await accessible(page, where);
      await page.context().close();
    }
  }
};

const printed = async (browser, file) => {
  const page = await open(browser, file, { viewport: { width: 718, height: 1000 }, bypassCSP: true });
  await page.emulateMedia({ media: "print" });
  await fits(page, `${file} printed`);
  await accessible(page, `${file} printed`);
  for (const format of ["A4", "Letter"]) {
    const paper = await page.pdf({ format });
    expect(paper.subarray(0, 5).toString() === "%PDF-", `${file}: is not printed on ${format}`);
  }
  await page.context().close();
};

// With its policy in force: what it says, with script and without.
const facts = (page) => page.evaluate(() => {
  const told = document.querySelectorAll("h1, h2, h3, .state, caption, td, .name, .figures, .title, .way, figcaption, time");
  return [...told].map((one) => {
    const copy = one.cloneNode(true);
    copy.querySelectorAll("button, script").forEach((button) => button.remove());
    return copy.textContent.replace(/\s+/g, " ").trim();
  });
});

const withoutScript = async (browser, file) => {
  const page = await open(browser, file, { viewport: { width: 1280, height: 800 } });
  const plain = await open(browser, file, { viewport: { width: 1280, height: 800 }, javaScriptEnabled: false });
  const blank = await page.evaluate(() => [...document.images].filter((one) => !one.naturalWidth || !one.alt).length);
  expect(blank === 0, `${file}: ${blank} pictures do not show, or have no words`);
  const [scripted, still] = [await facts(page), await facts(plain)];
  expect(scripted.length > 5 && scripted.join("\n") === still.join("\n"), `${file}: says something else without script`);
  expect((await plain.locator("button, input").count()) === 0, `${file}: has controls that do nothing without script`);
  const into = plain.locator(".level.top .map a");
  if (await into.count()) {
    const target = (await into.first().getAttribute("href")).slice(1);
    await into.first().click();
    expect(await plain.locator(`[id="${target}"]`).isVisible(), `${file}: no step into the map without script`);
  }
  await plain.emulateMedia({ reducedMotion: "reduce" });
  const motion = await plain.evaluate(() => getComputedStyle(document.documentElement).scrollBehavior);
  expect(motion === "auto", `${file}: moves although that is not wanted`);
  await page.context().close();
  await plain.context().close();
};

// What can be done on a page that has all there is.
const canBeUsed = async (browser, file) => {
  const page = await open(browser, file, { viewport: { width: 1280, height: 800 } });
  await page.context().grantPermissions(["clipboard-read", "clipboard-write"]);

  const levels = page.locator(".levels", { has: page.locator(".level.top .map a") }).last();
  const into = levels.locator(".level.top .map a").first();
  const target = levels.locator(`[id="${(await into.getAttribute("href")).slice(1)}"]`);
  await into.click();
  expect((await target.isVisible()) && !(await into.isVisible()), "a click steps into the map");
  await target.locator(".way a").first().click();
  expect(await into.isVisible(), "a click steps out of it");
  await into.focus();
  await page.keyboard.press("Enter");
  expect(await target.isVisible(), "Enter steps into the map");
  expect(await target.evaluate((level) => level.contains(document.activeElement)), "the focus goes along");
  await page.keyboard.press("Escape");
  expect(await into.isVisible(), "Escape steps out of it");

  const table = page.locator("#largest-table");
  const sizes = () => table.evaluate((table) => [...table.tBodies[0].rows].map((row) => Number(row.cells[1].dataset.key)));
  const sorted = (numbers) => numbers.every((number, at) => at === 0 || numbers[at - 1] <= number);
  const head = table.locator("th button").nth(1);
  await head.click();
  expect(sorted(await sizes()), "a click on a heading sorts");
  expect((await table.locator("th").nth(1).getAttribute("aria-sort")) === "ascending", "it is told how it is sorted");
  await head.focus();
  await page.keyboard.press("Enter");
  expect(sorted((await sizes()).reverse()), "Enter on a heading sorts the other way");

  const lines = () => table.locator("tbody tr:visible").count();
  const all = await lines();
  const input = page.locator("#largest .filter input");
  await input.fill("no such words");
  expect((await lines()) === 0, "a filter leaves nothing that has not its words");
  await input.fill("");
  expect((await lines()) === all && all > 1, "an empty one leaves all");

  const copy = page.locator("#odd-table .copy").first();
  await copy.click();
  const command = await page.locator("#odd-table .command").first().textContent();
  await copy.filter({ hasText: "Copied" }).waitFor({ timeout: 5000 });
  expect((await page.evaluate(() => navigator.clipboard.readText())) === command, "a command can be copied");

  // Each press of Tab goes on to another thing, the first being the way past the headings.
  await page.reload();
  const reached = [];
  for (let step = 0; step < 40; step += 1) {
    await page.keyboard.press("Tab");
    reached.push(await page.evaluate(() => [...document.querySelectorAll("*")].indexOf(document.activeElement)));
  }
  const onwards = reached.every((at, step) => step === 0 || reached[step - 1] < at);
  expect(onwards, `the keyboard reaches one thing after another, not ${reached}`);
  await page.context().close();
};

// Where the validator is behind: it knows no container queries (CSS Containment, level 3), and takes `data:` in a policy
// for something else. The browser, which knows both, would complain in the console.
const BEHIND = [/^CSS: .*(container-type|@container)/, /^Resource violates Content Security Policy .*“data:image/];

const valid = (file) => {
  const ran = spawnSync("java", ["-jar", vnu, "--format", "json", "--stdout", file], { encoding: "utf8", maxBuffer: 1 << 26 });
  if (ran.error || !ran.stdout) return findings.push(`${file}: the validator cannot be run: ${ran.error ?? ran.stderr}`);
  looked += 1;
  for (const { type, subType, message, extract, lastLine } of JSON.parse(ran.stdout).messages) {
    if (BEHIND.some((known) => known.test(message))) continue;
    if (type !== "info" || subType === "warning") findings.push(`${file}:${lastLine}: ${message}: ${extract ?? ""}`);
  }
};

const browser = await chromium.launch({
  executablePath: browserProgram,
  args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
});
try {
  await canBeUsed(browser, pages[0]);
  for (const file of pages) {
    valid(file);
    await withoutScript(browser, file);
    await looks(browser, file);
    await printed(browser, file);
  }
} finally {
  await browser.close();
}
for (const finding of new Set(findings)) console.log(finding);
console.log(`${looked} looks at ${pages.length} pages, ${findings.length} findings`);
process.exit(findings.length ? 1 : 0);
