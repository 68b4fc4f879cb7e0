// Opens a report in a real browser and looks at it as a reader would: nothing on the console, nothing asked of a network, no
// sideways scrolling, filters and matrix that work, complete without script, and nothing serious for those who use it by
// keyboard or screen reader.
//
// node scripts/check-report.mjs REPORT.html [MODULES]   where MODULES has puppeteer-core and axe-core
import { createRequire } from "node:module";
import { readFileSync } from "node:fs";
import { resolve } from "node:path";
import { pathToFileURL } from "node:url";

const [file, modules = "."] = process.argv.slice(2);
const require = createRequire(resolve(modules, "x.js"));
const puppeteer = require("puppeteer-core");
const axe = readFileSync(require.resolve("axe-core/axe.min.js"), "utf8");
const address = pathToFileURL(resolve(file)).href;
const wrong = [];
const note = (what) => wrong.push(what);

const browser = await puppeteer.launch({
  executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu"],
});

async function opened(width, { script = true, dark = false } = {}) {
  const page = await browser.newPage();
  const as = `${width} px${dark ? ", dark" : ""}${script ? "" : ", without script"}`;
  page.on("console", (it) => ["error", "warn"].includes(it.type()) && note(`${as}: console: ${it.text()}`));
  page.on("pageerror", (it) => note(`${as}: ${it.message}`));
  page.on("request", (it) => it.url() !== address && !it.url().startsWith("data:") && note(`${as}: asks for ${it.url()}`));
  await page.setJavaScriptEnabled(script);
  await page.setViewport({ width, height: 900 });
  await page.emulateMediaFeatures([{ name: "prefers-color-scheme", value: dark ? "dark" : "light" }]);
  await page.goto(address, { waitUntil: "load" });
  return [page, as];
}

for (const width of [1280, 480]) {
  for (const dark of [false, true]) {
    const [page, as] = await opened(width, { dark });
    const wider = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
    if (wider > 0) note(`${as}: ${wider} px wider than the window`);
    // The page's own policy lets nobody add script, so the check is put beside it.
    await page.setBypassCSP(true);
    await page.evaluate(axe);
    const { violations } = await page.evaluate(() => globalThis.axe.run(document, { resultTypes: ["violations"] }));
    for (const it of violations.filter((it) => ["serious", "critical"].includes(it.impact))) {
      note(`${as}: ${it.id}: ${it.help}: ${it.nodes.slice(0, 3).map((at) => at.html.slice(0, 160)).join(" | ")}`);
    }
    await page.close();
  }
}

const [page] = await opened(1280);
const shown = () => page.$$eval("#findings .finding", (all) => all.filter((it) => !it.hidden).length);
const all = await shown();
if (all > 1) {
  const thing = await page.$eval("#findings .finding", (it) => it.querySelector(".mono").textContent);
  await page.type("#filters input", thing);
  const some = await shown();
  if (some < 1 || some >= all) note(`searching for ${thing} shows ${some} of ${all} findings`);
  await page.$eval("#filters input", (it) => { it.value = ""; it.dispatchEvent(new Event("input")); });
  await page.select("#filters select", "5");
  const critical = await page.$$eval("#findings .finding", (all) => all.filter((it) => !it.hidden && !it.classList.contains("critical")).length);
  if (critical > 0) note(`${critical} findings are shown that are not critical`);
}
const cell = await page.$(".matrix td a");
if (cell) {
  const id = await cell.evaluate((it) => it.getAttribute("href").slice(1));
  await cell.click();
  await page.waitForFunction((id) => document.getElementById(id).checkVisibility(), { timeout: 3000 }, id)
    .catch(() => note(`a cell of the matrix does not open ${id}`));
} else note("there is no cell to follow in the matrix");
await page.close();

const [plain] = await opened(1280, { script: false });
const hidden = await plain.$$eval(".finding, .passport", (all) => all.filter((it) => !it.checkVisibility()).length).catch(() => -1);
if (hidden > 0) note(`${hidden} findings or passports cannot be read without script`);
await plain.close();
await browser.close();

for (const it of wrong) console.error(it);
console.log(wrong.length === 0 ? `${file} is fine` : `${file}: ${wrong.length} things are wrong`);
process.exitCode = wrong.length === 0 ? 0 : 1;
