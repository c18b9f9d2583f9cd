for (const one of document.querySelectorAll('.scripted')) one.hidden = false;
// mods: [id, version, position]; needs: [from, to] by place in mods; brings: what an update would take along, by place.
const { mods, needs, brings } = JSON.parse(document.getElementById('data').textContent);
const all = document.getElementById('all'), find = document.getElementById('find');
const noneOff = document.getElementById('none-off');
const rows = [...document.querySelectorAll('tr[data-mod]')];
const boxes = [...document.querySelectorAll('.graph a')], lines = [...document.querySelectorAll('.graph path')];

// Rows that are not wanted are hidden; boxes that are not, only fade: where they lie says something.
function sieve() {
  const words = find.value.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = text => words.every(word => text.toLowerCase().includes(word));
  let seen = 0;
  for (const row of rows) {
    const wanted = !words.length || fits((row.querySelector('td.name') ?? row.cells[0]).textContent);
    const shown = !row.classList.contains('is-same') || all.checked || words.length > 0;
    row.hidden = !wanted || !shown;
    if (row.id && wanted) seen += 1;
  }
  if (noneOff) noneOff.hidden = rows.some(row => row.closest('.matrix') && !row.hidden);
  document.getElementById('found').textContent = words.length ? `${seen} of ${mods.length}` : '';
  if (words.length) {
    const fit = new Set(mods.flatMap((one, at) => fits(one.join(' ')) ? [at] : []));
    paint(fit, new Set());
  } else choose();
}

function reach(start, step) {
  const found = new Set(), open = [start];
  while (open.length) for (const next of step(open.pop())) if (next !== start && !found.has(next)) { found.add(next); open.push(next); }
  return found;
}

function paint(near, strong) {
  const any = near.size > 0;
  for (const box of boxes) {
    const at = Number(box.dataset.mod);
    box.classList.toggle('far', any && !near.has(at));
    box.classList.toggle('near', strong.has(at));
  }
  for (const line of lines) {
    const [from, to] = [Number(line.dataset.from), Number(line.dataset.to)];
    const within = near.has(from) && near.has(to);
    line.classList.toggle('far', any && !within);
    line.classList.toggle('near', strong.size > 0 && within);
  }
}

function part(title, places) {
  const box = document.createElement('div'), head = document.createElement('strong'), list = document.createElement('ul');
  head.textContent = `${title}: ${places.length || 'none'}`;
  for (const at of places) {
    const item = document.createElement('li'), link = document.createElement('a');
    link.href = `#m${mods[at][2]}`;
    link.textContent = `${mods[at][0]} ${mods[at][1]}`;
    item.append(link);
    list.append(item);
  }
  box.append(head, list);
  return box;
}

// The mod that the address names, and what is near it.
function choose() {
  const near = document.getElementById('near');
  const at = mods.findIndex(one => `#m${one[2]}` === location.hash);
  if (near) near.hidden = at < 0;
  if (at < 0) return paint(new Set(), new Set());
  const below = reach(at, one => needs.filter(edge => edge[0] === one).map(edge => edge[1]));
  const above = reach(at, one => needs.filter(edge => edge[1] === one).map(edge => edge[0]));
  paint(new Set([at, ...below, ...above]), new Set([at]));
  const box = boxes.find(one => Number(one.dataset.mod) === at)?.querySelector('rect'), sheet = document.querySelector('.figure');
  if (box) sheet.scrollTo(box.x.baseVal.value - sheet.clientWidth / 2, box.y.baseVal.value - sheet.clientHeight / 2);
  if (!near) return;
  const order = set => [...set].sort((a, b) => mods[a][2] - mods[b][2]);
  const title = document.createElement('h3'), three = document.createElement('div'), away = document.createElement('a');
  title.textContent = `${mods[at][0]} ${mods[at][1]}`;
  away.href = '#hangs';
  away.textContent = 'show all again';
  three.className = 'three';
  three.append(part('It stands on', order(below)), part('On it stand', order(above)), part('An update of it would take along', brings[at] ?? []));
  near.replaceChildren(title, three, away);
}

for (const box of boxes) box.addEventListener('click', event => {
  event.preventDefault();
  const top = scrollY;
  location.hash = box.getAttribute('href');
  scrollTo(0, top);
  document.getElementById('near').scrollIntoView({ block: 'nearest' });
});
addEventListener('hashchange', choose);
find.addEventListener('input', sieve);
all?.addEventListener('change', sieve);
addEventListener('keydown', event => {
  if (event.key === '/' && !/INPUT|TEXTAREA/.test(document.activeElement.tagName)) { event.preventDefault(); find.focus(); }
  if (event.key === 'Escape') { find.value = ''; history.replaceState(null, '', location.pathname + location.search); sieve(); }
});
addEventListener('beforeprint', () => { for (const one of document.querySelectorAll('details')) one.open = true; });
sieve();
