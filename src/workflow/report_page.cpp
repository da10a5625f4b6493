// The report's page: markup, style and script. It loads nothing from anywhere.

#include "workflow/report_page.hpp"

namespace stasigraph {

namespace {

constexpr const char* style = R"css(
:root { color-scheme: light; --paper: #f6f6f4; --card: #ffffff; --ink: #1d2024; --soft: #5b636d; --line: #d5d8dc;
  --mark: #0b62b0; --error: #b3261e; --warning: #8a5a00; --hint: #23618f; --accepted: #5b636d; --bar: #3b7dbd; --bar2: #a9743a; }
:root[data-theme="dark"] { color-scheme: dark; --paper: #14161a; --card: #1d2025; --ink: #e8eaed; --soft: #a2aab4; --line: #383e46;
  --mark: #7cbcf5; --error: #ff8a80; --warning: #f2b84b; --hint: #8ec3ea; --accepted: #a2aab4; --bar: #5b9bd8; --bar2: #d19a5c; }
@media (prefers-color-scheme: dark) { :root:not([data-theme="light"]) { color-scheme: dark; --paper: #14161a; --card: #1d2025; --ink: #e8eaed;
  --soft: #a2aab4; --line: #383e46; --mark: #7cbcf5; --error: #ff8a80; --warning: #f2b84b; --hint: #8ec3ea; --accepted: #a2aab4;
  --bar: #5b9bd8; --bar2: #d19a5c; } }
* { box-sizing: border-box; }
body { margin: 0; background: var(--paper); color: var(--ink); font: 15px/1.45 system-ui, "DejaVu Sans", sans-serif; }
a { color: var(--mark); }
header, main, footer { max-width: 1180px; margin: 0 auto; padding: 0 20px; }
header { padding-top: 18px; display: flex; flex-wrap: wrap; gap: 8px 18px; align-items: baseline; }
h1 { font-size: 24px; margin: 0; }
h2 { font-size: 18px; margin: 0 0 12px; }
h3 { font-size: 15px; margin: 0 0 6px; }
.soft { color: var(--soft); }
.badge { border: 1px solid var(--line); border-radius: 12px; padding: 1px 10px; font-size: 13px; }
.badge.bad { color: var(--error); border-color: currentColor; }
.badge.good { color: var(--hint); border-color: currentColor; }
nav { position: sticky; top: 0; z-index: 5; background: var(--paper); border-bottom: 1px solid var(--line); }
nav div { max-width: 1180px; margin: 0 auto; padding: 8px 20px; display: flex; flex-wrap: wrap; gap: 4px 16px; align-items: center; }
nav button { margin-left: auto; }
section { background: var(--card); border: 1px solid var(--line); border-radius: 8px; padding: 16px; margin: 16px 0; scroll-margin-top: 48px; }
.row { display: flex; flex-wrap: wrap; gap: 8px 16px; align-items: end; margin-bottom: 12px; }
label { font-size: 13px; color: var(--soft); }
label > select, label > input[type="search"] { display: block; margin-top: 2px; }
select, button, input[type="search"] { font: inherit; color: var(--ink); background: var(--paper); border: 1px solid var(--line);
  border-radius: 6px; padding: 5px 9px; max-width: 100%; }
button { cursor: pointer; }
:focus-visible { outline: 3px solid var(--mark); outline-offset: 1px; }
.stage { position: relative; width: min(100%, 960px, max(300px, (100vh - 290px) * 1.6)); overflow: hidden; border-radius: 4px; background: #000; touch-action: none; cursor: ew-resize; }
.stage img { display: block; width: 100%; height: auto; user-select: none; -webkit-user-drag: none; }
.stage .over { position: absolute; inset: 0; }
.stage .line { position: absolute; top: 0; bottom: 0; width: 3px; margin-left: -1.5px; background: #fff; box-shadow: 0 0 0 1px #0008; }
.stage .tag { position: absolute; top: 8px; padding: 2px 8px; font-size: 13px; color: #fff; background: #000a; border-radius: 4px; max-width: 45%; }
.stage .tag.left { left: 8px; } .stage .tag.right { right: 8px; text-align: right; }
input[type="range"] { display: block; width: min(100%, 960px, max(300px, (100vh - 290px) * 1.6)); margin: 8px 0 0; accent-color: var(--mark); }
.page { position: relative; width: min(100%, 720px, max(300px, 100vh - 220px)); background: #000; }
td.bars { width: 30%; }
.page img, .page canvas { display: block; width: 100%; height: auto; image-rendering: pixelated; }
.page canvas { position: absolute; inset: 0; height: 100%; opacity: 0; }
.page:hover canvas, .page:focus canvas { opacity: 1; }
.checks { display: flex; flex-wrap: wrap; gap: 4px 14px; border: 0; margin: 0; padding: 0; }
.checks label { color: var(--ink); }
.cards { display: grid; grid-template-columns: repeat(auto-fill, minmax(300px, 1fr)); gap: 14px; }
.card { border: 1px solid var(--line); border-left-width: 4px; border-radius: 6px; padding: 10px; break-inside: avoid; overflow-wrap: anywhere; }
.card img { width: 100%; height: auto; display: block; border-radius: 4px; margin-bottom: 8px; }
.card.error { border-left-color: var(--error); } .card.warning { border-left-color: var(--warning); }
.card.hint { border-left-color: var(--hint); } .card.accepted { border-left-color: var(--accepted); }
.card p { margin: 4px 0; } .card .kind { font-weight: 600; }
.kind.error { color: var(--error); } .kind.warning { color: var(--warning); } .kind.hint { color: var(--hint); } .kind.accepted { color: var(--accepted); }
.scroll { overflow-x: auto; }
table { border-collapse: collapse; width: 100%; font-size: 14px; }
th, td { text-align: left; padding: 5px 10px 5px 0; border-bottom: 1px solid var(--line); vertical-align: top; }
td.n, th.n { text-align: right; font-variant-numeric: tabular-nums; white-space: nowrap; }
.bar { height: 10px; border-radius: 3px; background: var(--bar); min-width: 1px; } .bar.two { background: var(--bar2); }
.two-up { display: grid; grid-template-columns: repeat(auto-fit, minmax(300px, 1fr)); gap: 24px; }
svg text { fill: var(--soft); font-size: 11px; } svg rect { fill: var(--bar); }
.note { font-size: 13px; color: var(--soft); margin: 8px 0 0; }
@media (max-width: 520px) { header, main, footer, nav div { padding-left: 12px; padding-right: 12px; } section { padding: 12px; } .stage .tag { font-size: 11px; } }
@media print { nav, .controls, input[type="range"], .note.keys { display: none !important; } body { background: #fff; color: #000; }
  section { border: 0; padding: 8px 0; break-inside: auto; } .stage, .page { max-width: 640px; break-inside: avoid; } .cards { grid-template-columns: 1fr 1fr; } }
)css";

constexpr const char* markup = R"html(
<header>
  <h1 id="name"></h1><span id="badges"></span><span class="soft" id="when"></span>
</header>
<nav aria-label="Sections"><div>
  <a href="#pictures">Pictures</a><a href="#pages">Pages</a><a href="#findings">Findings</a><a href="#probes">Probes</a>
  <a href="#time">Time and memory</a><a href="#settings">Settings</a><a href="#history">History</a>
  <button id="theme" type="button">Light or dark</button>
</div></nav>
<main>
<noscript><section>This page draws itself with a script that it holds; it is off here.</section></noscript>
<section id="pictures" aria-labelledby="h-pictures"><h2 id="h-pictures">Pictures</h2>
  <div class="row controls">
    <label>Camera <select id="camera"></select></label>
    <label>Left <select id="left"></select></label>
    <label>Right <select id="right"></select></label>
    <button id="swap" type="button">Swap sides</button>
  </div>
  <div class="stage" id="stage"><img id="right-image" alt=""><img class="over" id="left-image" alt="">
    <span class="line" id="line"></span><span class="tag left" id="left-tag"></span><span class="tag right" id="right-tag"></span></div>
  <input id="divider" type="range" min="0" max="100" step="1" value="50" aria-label="Divider between left and right">
  <p class="note keys">Drag the picture, or the slider with arrow keys. Keys: [ and ] change the camera, x swaps sides.</p>
</section>
<section id="pages" aria-labelledby="h-pages"><h2 id="h-pages">Lightmap pages</h2>
  <div class="row controls">
    <label>Page <select id="page"></select></label>
    <label>Set <select id="page-set"></select></label>
  </div>
  <p class="note" id="chart-note" aria-live="polite">Point at the page to see the borders of its charts.</p>
  <div class="page" id="page-stage" tabindex="0" role="group" aria-label="Page with chart borders; arrow keys go from chart to chart">
    <img id="page-image" alt=""><canvas id="page-charts"></canvas></div>
</section>
<section id="findings" aria-labelledby="h-findings"><h2 id="h-findings">Findings</h2>
  <div class="row controls">
    <fieldset class="checks" id="severities"><legend class="soft">Show</legend></fieldset>
    <label>With the words <input id="search" type="search" autocomplete="off"></label>
  </div>
  <p class="note" id="finding-count" aria-live="polite"></p>
  <div class="cards" id="cards"></div>
</section>
<section id="probes" aria-labelledby="h-probes"><h2 id="h-probes">Probes</h2><div class="two-up" id="probe-body"></div></section>
<section id="time" aria-labelledby="h-time"><h2 id="h-time">Time and memory of the last bake</h2><div id="time-body"></div></section>
<section id="settings" aria-labelledby="h-settings"><h2 id="h-settings">Settings used</h2><div class="scroll"><table id="settings-table"></table></div></section>
<section id="history" aria-labelledby="h-history"><h2 id="h-history">Past bakes</h2><div class="scroll" id="history-body"></div></section>
</main>
<footer><p class="note">Made by stasigraph. Light is in lux, exposure in EV at ISO 100.</p></footer>
)html";

constexpr const char* script = R"js(
'use strict';
const data = JSON.parse(document.getElementById('data').textContent);
const $ = (id) => document.getElementById(id);
const make = (tag, props = {}, ...children) => {
  const e = document.createElement(tag);
  for (const [k, v] of Object.entries(props)) { if (k in e) e[k] = v; else e.setAttribute(k, v); }
  e.append(...children);
  return e;
};
const options = (select, list, chosen) => {
  select.replaceChildren(...list.map(([value, text]) => make('option', { value, textContent: text })));
  if (chosen !== undefined) select.value = chosen;
};
const seconds = (s) => s >= 90 ? Math.floor(s / 60) + ':' + String(Math.round(s % 60)).padStart(2, '0') + ' min' : s >= 10 ? s.toFixed(0) + ' s' : s.toFixed(1) + ' s';
const bytes = (b) => b > 1e9 ? (b / 1e9).toFixed(2) + ' GB' : b > 0 ? (b / 1e6).toFixed(0) + ' MB' : '';
const count = (n) => n >= 1e6 ? (n / 1e6).toFixed(1) + ' million' : n >= 1e4 ? Math.round(n / 1e3) + ' thousand' : String(n);
const table = (head, rows, numeric = []) => {
  const cell = (tag, text, i) => make(tag, { className: text instanceof Node ? 'bars' : numeric.includes(i) ? 'n' : '', ...(text instanceof Node ? {} : { textContent: text }) }, ...(text instanceof Node ? [text] : []));
  return make('table', {}, make('thead', {}, make('tr', {}, ...head.map((h, i) => cell('th', h, i)))),
    make('tbody', {}, ...rows.map((r) => make('tr', {}, ...r.map((c, i) => cell('td', c, i))))));
};

// ---- head
$('name').textContent = data.name;
$('when').textContent = 'tier ' + data.tier + ', looked at ' + data.when;
$('badges').append(make('span', { className: 'badge ' + (data.stale ? 'bad' : 'good'), textContent: data.stale ? 'out of date' : 'up to date',
  title: (data.because || []).join('; ') }));
if (data.stale && (data.because || []).length) $('badges').append(make('span', { className: 'soft', textContent: ' ' + data.because.slice(0, 3).join('; ') }));
const root = document.documentElement;
$('theme').onclick = () => {
  const dark = root.dataset.theme ? root.dataset.theme === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
  root.dataset.theme = dark ? 'light' : 'dark';
};

// ---- pictures
const looks = data.looks.map((l) => [l.id, l.label]);
const names = Object.fromEntries(looks);
options($('camera'), data.cameras.map((c, i) => [String(i), c.name]));
const firstKept = looks.find(([id]) => id.startsWith('kept:'));
options($('left'), looks, firstKept ? firstKept[0] : looks[0][0]);
options($('right'), looks, firstKept ? looks[0][0] : (looks[1] || looks[0])[0]);
const divide = (share) => {
  share = Math.max(0, Math.min(100, share));
  $('divider').value = share;
  $('left-image').style.clipPath = 'inset(0 ' + (100 - share) + '% 0 0)';
  $('line').style.left = share + '%';
};
const showPictures = () => {
  const camera = data.cameras[Number($('camera').value)];
  for (const side of ['left', 'right']) {
    const id = $(side).value, caption = camera.captions[id];
    $(side + '-image').src = camera.pictures[id];
    $(side + '-image').alt = names[id] + ' from camera ' + camera.name;
    $(side + '-tag').textContent = names[id] + (caption ? ', ' + caption : '');
  }
};
for (const id of ['camera', 'left', 'right']) $(id).onchange = showPictures;
const swap = () => { const l = $('left').value; $('left').value = $('right').value; $('right').value = l; showPictures(); };
$('swap').onclick = swap;
$('divider').oninput = () => divide(Number($('divider').value));
const stage = $('stage');
const drag = (e) => { const box = stage.getBoundingClientRect(); divide(100 * (e.clientX - box.left) / box.width); };
stage.onpointerdown = (e) => { stage.setPointerCapture(e.pointerId); drag(e); e.preventDefault(); };
stage.onpointermove = (e) => { if (stage.hasPointerCapture(e.pointerId)) drag(e); };
document.addEventListener('keydown', (e) => {
  if (e.target.matches('input, select, textarea') && e.target.type !== 'range' || e.ctrlKey || e.metaKey || e.altKey) return;
  const step = e.key === ']' ? 1 : e.key === '[' ? -1 : 0, n = data.cameras.length;
  if (step) { $('camera').value = String((Number($('camera').value) + step + n) % n); showPictures(); }
  if (e.key === 'x') swap();
});
divide(50);
showPictures();

// ---- pages
let charts = null, current = 0;
const pageOf = () => data.pages[Number($('page').value)];
const drawCharts = () => {
  if (!charts) return;
  const { side, ids } = charts, canvas = $('page-charts'), context = canvas.getContext('2d');
  canvas.width = canvas.height = side;
  const image = context.createImageData(side, side), to = image.data;
  for (let y = 0; y < side; ++y) for (let x = 0; x < side; ++x) {
    const i = y * side + x, id = ids[i];
    const rim = id && (x + 1 === side || y + 1 === side || x === 0 || y === 0 || ids[i + 1] !== id || ids[i + side] !== id || ids[i - 1] !== id || ids[i - side] !== id);
    if (id && id === current) { to[4 * i] = 255; to[4 * i + 1] = 210; to[4 * i + 2] = 60; to[4 * i + 3] = rim ? 255 : 110; }
    else if (rim) { to[4 * i] = 90; to[4 * i + 1] = 190; to[4 * i + 2] = 255; to[4 * i + 3] = 220; }
  }
  context.putImageData(image, 0, 0);
};
const choose = (id) => {
  if (id === current || !charts) return;
  current = id;
  drawCharts();
  const c = pageOf().charts[id - 1];
  $('chart-note').textContent = c ? c[0] + ': a chart of ' + c[1] + ' by ' + c[2] + ' texels, ' + c[3] + ' per metre' : pageOf().charts.length + ' charts on this page of ' + pageOf().side + ' texels.';
};
const showPage = () => {
  const page = pageOf();
  $('page-image').src = page.images[$('page-set').value] || '';
  $('page-image').alt = 'page ' + $('page').value + ' under ' + $('page-set').value;
  charts = null; current = -1;
  const map = new Image();
  map.onload = () => {
    const canvas = make('canvas', { width: page.side, height: page.side }), context = canvas.getContext('2d', { willReadFrequently: true });
    context.drawImage(map, 0, 0);
    const from = context.getImageData(0, 0, page.side, page.side).data, ids = new Uint32Array(page.side * page.side);
    for (let i = 0; i < ids.length; ++i) ids[i] = from[4 * i + 3] ? from[4 * i] << 16 | from[4 * i + 1] << 8 | from[4 * i + 2] : 0;
    charts = { side: page.side, ids };
    choose(0);
  };
  map.src = page.ids;
};
if (data.pages.length) {
  options($('page'), data.pages.map((p, i) => [String(i), i + ' (' + p.side + ')']));
  options($('page-set'), Object.keys(data.pages[0].images).map((s) => [s, s]));
  $('page').onchange = $('page-set').onchange = showPage;
  const pageStage = $('page-stage');
  pageStage.onmousemove = (e) => {
    if (!charts) return;
    const box = pageStage.getBoundingClientRect(), side = charts.side;
    const x = Math.floor((e.clientX - box.left) / box.width * side), y = Math.floor((e.clientY - box.top) / box.height * side);
    choose(charts.ids[Math.min(side - 1, Math.max(0, y)) * side + Math.min(side - 1, Math.max(0, x))]);
  };
  pageStage.onkeydown = (e) => {
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key], n = pageOf().charts.length;
    if (!step || !n) return;
    choose((Math.max(current, 0) - 1 + step + n + (current > 0 ? 0 : step > 0 ? 0 : 1)) % n + 1);
    e.preventDefault();
  };
  showPage();
} else { $('pages').hidden = true; }

// ---- findings
const kindOf = (f) => f.accepted ? 'accepted' : f.severity;
const kinds = ['error', 'warning', 'hint', 'accepted'];
for (const kind of kinds) {
  const n = data.findings.filter((f) => kindOf(f) === kind).length;
  $('severities').append(make('label', {}, make('input', { type: 'checkbox', value: kind, checked: kind !== 'accepted', id: 'show-' + kind }), ' ' + kind + ' (' + n + ')'));
}
const cards = data.findings.map((f, i) => {
  const card = make('article', { className: 'card ' + kindOf(f) });
  if (f.picture) card.append(make('img', { src: f.picture, alt: f.id + ' of ' + f.names.slice(0, 3).join(', '), loading: 'lazy' }));
  card.append(make('p', {}, make('span', { className: 'kind ' + kindOf(f), textContent: (i + 1) + ' ' + f.id }),
    make('span', { className: 'soft', textContent: ' ' + kindOf(f) + (f.places > 1 ? ', ' + f.places + ' places' : '') })),
    make('p', { textContent: f.what }),
    make('p', { className: 'soft', textContent: f.accepted ? 'Accepted: ' + f.accepted : f.remedy }),
    make('p', { className: 'soft', textContent: f.names.slice(0, 6).join(', ') + (f.at ? ' at ' + f.at.map((v) => v.toFixed(2)).join(', ') : '') }));
  return card;
});
$('cards').append(...cards);
const filter = () => {
  const shown = new Set([...$('severities').querySelectorAll('input:checked')].map((b) => b.value));
  const words = $('search').value.toLowerCase().split(/\s+/).filter(Boolean);
  let n = 0;
  data.findings.forEach((f, i) => {
    const text = (f.id + ' ' + f.what + ' ' + f.remedy + ' ' + f.names.join(' ')).toLowerCase();
    const on = shown.has(kindOf(f)) && words.every((w) => text.includes(w));
    cards[i].hidden = !on;
    n += on ? 1 : 0;
  });
  $('finding-count').textContent = data.findings.length ? n + ' of ' + data.findings.length + ' findings' : 'Nothing was found.';
};
$('severities').onchange = $('search').oninput = filter;
filter();

// ---- probes
{
  const p = data.probes, left = make('div'), right = make('div');
  left.append(table(['volume', 'probes'], (p.volumes || []).map((v) => [v[0], String(v[1])]), [1]),
    make('p', { className: 'note', textContent: p.count + ' probes, ' + p.unused + ' of them inside of geometry and unused; ' + p.reflections + ' reflection probes.' }));
  const e = p.error;
  if (e) {
    right.append(make('h3', { textContent: 'How well light between probes is told (' + e.set + ')' }));
    const edges = [0, 0.02, 0.05, 0.1, 0.2, 0.4, 0.8], width = 420, height = 130, n = edges.length, bins = new Array(n).fill(0);
    for (const v of e.errors) { let i = n - 1; while (i > 0 && v < edges[i]) --i; ++bins[i]; }
    const most = Math.max(...bins), ns = 'http://www.w3.org/2000/svg', svg = document.createElementNS(ns, 'svg');
    svg.setAttribute('viewBox', '0 0 ' + width + ' ' + (height + 22));
    svg.setAttribute('role', 'img');
    svg.setAttribute('aria-label', 'Histogram of errors: half under ' + (100 * e.median).toFixed(1) + ' %, worst ' + (100 * e.worst).toFixed(1) + ' %');
    bins.forEach((b, i) => {
      const r = document.createElementNS(ns, 'rect'), h = most ? b / most * (height - 14) : 0;
      for (const [k, v] of Object.entries({ x: i * width / n + 1, y: height - h, width: width / n - 2, height: h })) r.setAttribute(k, v);
      svg.append(r);
      const t = document.createElementNS(ns, 'text');
      t.setAttribute('x', i * width / n + 2); t.setAttribute('y', height + 14);
      t.textContent = i + 1 < n ? (100 * edges[i]).toFixed(0) + '-' + (100 * edges[i + 1]).toFixed(0) + ' %' : '80 % on';
      svg.append(t);
    });
    right.append(svg, make('p', { className: 'note', textContent: 'Places by error of perceptual lightness against exact light, ' + e.places + ' of them: half within ' + (100 * e.median).toFixed(1) +
      ' %, nine of ten within ' + (100 * e.p90).toFixed(1) + ' %, the worst ' + (100 * e.worst).toFixed(1) + ' % at ' + e.worst_at.map((v) => v.toFixed(1)).join(', ') + '.' }));
  }
  $('probe-body').append(left, right);
}

// ---- time, settings, history
{
  const last = data.history[data.history.length - 1];
  if (last) {
    const longest = Math.max(...last.stages.map((s) => s[1]), 1e-9), largest = Math.max(...last.stages.map((s) => s[2]), 1);
    const bar = (share, two) => make('div', { className: two ? 'bar two' : 'bar', style: 'width:' + (100 * share).toFixed(1) + '%' });
    $('time-body').append(table(['stage', 'time', '', 'most memory', ''], last.stages.filter((s) => s[1] >= 0.05).map((s) => [s[0], seconds(s[1]), bar(s[1] / longest), bytes(s[2]), s[2] ? bar(s[2] / largest, true) : '']), [1, 3]),
      make('p', { className: 'note', textContent: last.when + ' UTC, ' + last.tier + ': ' + seconds(last.seconds) + ' in all; ' + count(last.texels) + ' texels, ' + count(last.traced) + ' links traced, noise about ' + (100 * last.noise).toFixed(1) + ' %.' }));
    $('history-body').append(table(['when (UTC)', 'tier', 'sets', 'time', 'links traced', 'because'],
      data.history.slice().reverse().map((h) => [h.when, h.tier, h.sets.join(', '), seconds(h.seconds), count(h.traced), h.because.join('; ') || 'asked for']), [3, 4]));
  } else {
    $('time-body').append(make('p', { className: 'note', textContent: 'No bake was recorded yet: the next one will be.' }));
    $('history').hidden = true;
  }
  $('settings-table').append(make('tbody', {}, ...data.settings.map(([k, v]) => make('tr', {}, make('th', { textContent: k, scope: 'row' }), make('td', { textContent: v })))));
}
document.body.dataset.ready = 'yes';
)js";

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text)
        out += c == '<' ? "&lt;" : c == '&' ? "&amp;" : c == '"' ? "&quot;" : std::string(1, c);
    return out;
}

}  // namespace

std::string report_page(const std::string& name, const std::string& data) {
    return "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
           "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
           "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; img-src data:; "
           "style-src 'unsafe-inline'; "
           "script-src 'unsafe-inline'\">\n<link rel=\"icon\" href=\"data:,\">\n<title>" +
           escaped(name) + ": light</title>\n<style>" + style + "</style>\n</head>\n<body>" + markup +
           "<script id=\"data\" type=\"application/json\">" + data + "</script>\n<script>" + script +
           "</script>\n</body>\n</html>\n";
}

}  // namespace stasigraph
