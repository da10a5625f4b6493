// Opens a report in a headless browser, uses it as a person would, and says as JSON what came of it.
// Usage: node drive.js MODULES CHROMIUM PAGE.html [SHOTS]
'use strict';
const [modules, browserPath, page_file, shots] = process.argv.slice(2);
const path = require('path');
const puppeteer = require(path.resolve(modules, 'puppeteer-core'));
const url = 'file://' + path.resolve(page_file);

(async () => {
  const browser = await puppeteer.launch({ executablePath: browserPath, headless: true,
    args: ['--no-sandbox', '--disable-gpu', '--overwrite-color-profile=srgb', '--hide-scrollbars'] });
  const out = { errors: [], requests: [] };
  try {
    const page = await browser.newPage();
    page.on('console', (m) => { if (['error', 'warning', 'warn'].includes(m.type())) out.errors.push(m.text()); });
    page.on('pageerror', (e) => out.errors.push(String(e)));
    page.on('request', (r) => { if (!r.url().startsWith('data:') && r.url() !== url) out.requests.push(r.url()); });
    await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: 'light' }]);
    await page.setViewport({ width: 1280, height: 800 });
    await page.goto(url, { waitUntil: 'load' });
    await page.waitForFunction('document.body.dataset.ready === "yes"');
    const shot = async (name, full = false) => { if (shots) await page.screenshot({ path: shots + '/' + name + '.png', fullPage: full }); };
    const value = (id) => page.$eval('#' + id, (e) => e.value);
    const text = (id) => page.$eval('#' + id, (e) => e.textContent);
    const source = (id) => page.$eval('#' + id, (e) => e.src.length + ':' + e.src.slice(-400, -200));
    out.title = await page.title();
    await shot('report-light');

    // Another set on the right.
    const before = await source('right-image');
    const looks = await page.$$eval('#right option', (l) => l.map((o) => o.value));
    out.looks = looks;
    await page.select('#right', looks[looks.length - 2]);
    out.right_changed = before !== await source('right-image');
    out.right_tag = await text('right-tag');
    // And swapped by key.
    const left = await value('left');
    await page.keyboard.press('x');
    out.swapped = (await value('right')) === left;

    // The divider, by dragging and by keys.
    const box = await (await page.$('#stage')).boundingBox();
    await page.mouse.move(box.x + box.width * 0.5, box.y + box.height * 0.5);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * 0.2, box.y + box.height * 0.5, { steps: 4 });
    await page.mouse.up();
    out.dragged = Number(await value('divider'));
    out.clip = await page.$eval('#left-image', (e) => e.style.clipPath);
    await page.focus('#divider');
    await page.keyboard.press('ArrowRight');
    out.stepped = Number(await value('divider'));
    const camera = await value('camera');
    await page.keyboard.press(']');
    out.camera_changed = (await page.$$eval('#camera option', (l) => l.length)) < 2 || camera !== await value('camera');

    // Charts of a page, by pointer and by keys.
    await page.$eval('#pages', (e) => e.scrollIntoView());
    await page.waitForFunction('document.getElementById("chart-note").textContent.includes("charts on this page")');
    const sheet = await (await page.$('#page-stage')).boundingBox();
    out.hovered = '';
    for (let k = 1; k < 64 && !out.hovered.includes(': a chart of'); ++k) {
      await page.mouse.move(sheet.x + sheet.width * ((k * 0.137) % 1), sheet.y + Math.min(sheet.height, 500) * ((k * 0.291) % 1));
      out.hovered = await text('chart-note');
    }
    await shot('report-pages');
    await page.focus('#page-stage');
    const at = out.hovered;
    await page.keyboard.press('ArrowRight');
    out.next_chart = (await text('chart-note')) !== at && (await text('chart-note')).includes(': a chart of');
    out.next_page = null;
    if ((await page.$$eval('#page option', (l) => l.length)) > 1) {
      const image = await source('page-image');
      await page.select('#page', '1');
      out.next_page = image !== await source('page-image');
    }

    // Findings, filtered.
    const visible = () => page.$$eval('#cards .card', (l) => l.filter((c) => !c.hidden).length);
    out.cards = await page.$$eval('#cards .card', (l) => l.length);
    for (const kind of ['error', 'warning', 'hint', 'accepted'])
      await page.$eval('#show-' + kind, (e) => { e.checked = true; e.dispatchEvent(new Event('change', { bubbles: true })); });
    out.all = await visible();
    await page.type('#search', 'moving');
    out.found = await visible();
    out.found_text = await text('finding-count');
    await page.$eval('#search', (e) => { e.value = ''; e.dispatchEvent(new Event('input', { bubbles: true })); });
    for (const kind of ['error', 'warning', 'hint']) await page.click('#show-' + kind);
    out.accepted_alone = await visible();
    await page.click('#show-error');
    await page.$eval('#findings', (e) => e.scrollIntoView());
    await shot('report-findings');

    // The other theme, a narrow window, paper.
    const paper = () => page.$eval('body', (e) => getComputedStyle(e).backgroundColor);
    const light = await paper();
    await page.click('#theme');
    out.dark = light !== await paper();
    await page.evaluate(() => scrollTo(0, 0));
    await shot('report-dark');
    await page.$eval('#probes', (e) => e.scrollIntoView());
    await shot('report-figures');
    await page.setViewport({ width: 380, height: 800 });
    await page.evaluate(() => scrollTo(0, 0));
    out.narrow_overflow = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
    await shot('report-narrow');
    await page.setViewport({ width: 1280, height: 800 });
    await page.emulateMediaType('print');
    out.print_hides = await page.$eval('nav', (e) => getComputedStyle(e).display === 'none');
    out.pdf_bytes = (await page.pdf({ format: 'A4', printBackground: true })).length;
  } finally {
    await browser.close();
  }
  process.stdout.write(JSON.stringify(out));
})().catch((e) => { console.error(e); process.exit(1); });
