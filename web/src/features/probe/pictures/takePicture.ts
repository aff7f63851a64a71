// A drawing as a file of its own, with its title and legend: what its style sheet says is written into it.
const SAID = [
  'fill',
  'fill-opacity',
  'stroke',
  'stroke-width',
  'stroke-dasharray',
  'font-family',
  'font-size',
  'font-weight',
  'opacity',
  'text-anchor',
];
const TITLE = 34;
const UNDER = 17; // of the line that says what is picked
const MARGIN = 12;

const escaped = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');

function styled(element: Element): string {
  const style = getComputedStyle(element);
  return SAID.map((name) => `${name}:${style.getPropertyValue(name).replaceAll('"', "'")}`).join(';');
}

/** Words of the page at their place in the picture; HTML says the colour of words otherwise than SVG. */
function words(element: Element, x: number, y: number, text = element.textContent ?? ''): string {
  const { color, fontFamily, fontSize, fontWeight } = getComputedStyle(element);
  return `<text x="${x}" y="${y}" style="fill:${color};font-family:${fontFamily.replaceAll('"', "'")};font-size:${fontSize};font-weight:${fontWeight}">${escaped(text.trim())}</text>`;
}

function copied(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const sources = svg.querySelectorAll<SVGElement>('*');
  for (const [i, element] of [...copy.querySelectorAll<SVGElement>('*')].entries()) {
    const source = sources[i];
    if (!source) continue;
    element.setAttribute('style', styled(source));
    for (const name of ['class', 'tabindex', 'role']) element.removeAttribute(name);
  }
  return copy.innerHTML;
}

/** What the legend says, line by line as it stands on the page, `top` below the upper edge; and how high it is. */
function legend(place: HTMLElement, top: number): { parts: string[]; height: number } {
  const items = [...(place.parentElement?.querySelectorAll<HTMLElement>('.legend-item') ?? [])];
  const origin = place.parentElement?.querySelector('.picture-legend')?.getBoundingClientRect();
  if (!origin || items.length === 0) return { parts: [], height: 0 };
  const parts = items.map((item) => {
    const box = item.getBoundingClientRect();
    const [x, y] = [box.left - origin.left + MARGIN, box.top - origin.top + top + box.height / 2];
    const sign = item.querySelector('path');
    return `${sign ? `<path d="${sign.getAttribute('d') ?? ''}" transform="translate(${x + 7} ${y})" style="${styled(sign)}"/>` : ''}${words(item, x + 19, y + 4)}`;
  });
  return { parts, height: Math.max(...items.map((i) => i.getBoundingClientRect().bottom - origin.top)) + 6 };
}

/** One SVG of all drawings of a place with their captions, below one another, under title, picks and legend, on the paper of the theme. */
export function svgText(place: HTMLElement, title: string, under = ''): { text: string; width: number; height: number } {
  const origin = place.getBoundingClientRect();
  const top = under ? TITLE + UNDER : TITLE;
  const entries = legend(place, top);
  const head = top + entries.height;
  const at = (element: Element) => {
    const box = element.getBoundingClientRect();
    return { x: box.left - origin.left + place.scrollLeft + MARGIN, y: box.top - origin.top + place.scrollTop + head, height: box.height };
  };
  const drawings = [...place.querySelectorAll<SVGSVGElement>('svg.picture')].map(
    (svg) => `<g transform="translate(${at(svg).x} ${at(svg).y})">${copied(svg)}</g>`,
  );
  const captions = [...place.querySelectorAll('figcaption')].map((caption) =>
    words(
      caption,
      at(caption).x + (Number.parseFloat(getComputedStyle(caption).paddingLeft) || 0),
      at(caption).y + at(caption).height * 0.75,
    ),
  );
  const paper = getComputedStyle(document.documentElement).getPropertyValue('--paper').trim() || '#fff';
  const [width, height] = [place.scrollWidth + 2 * MARGIN, place.scrollHeight + head + MARGIN];
  const heading = words(place, MARGIN, 22, title).replace(/font-size:[^;]+;font-weight:[^;"]+/, 'font-size:15px;font-weight:650');
  const said = under && words(place, MARGIN, 22 + UNDER, under).replace(/font-size:[^;]+/, 'font-size:12px');
  const text = `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}"><title>${escaped(title)}</title><rect width="100%" height="100%" fill="${paper}"/>${heading}${said}${entries.parts.join('')}${captions.join('')}${drawings.join('')}</svg>`;
  return { text, width, height };
}

function save(href: string, name: string): void {
  const link = document.createElement('a');
  link.href = href;
  link.download = name;
  link.click();
}

export async function takePicture(place: HTMLElement, name: string, under: string, kind: 'svg' | 'png'): Promise<void> {
  const { text, width, height } = svgText(place, name, under);
  const href = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
  if (kind === 'svg') return save(href, `${name}.svg`);
  const image = new Image();
  await new Promise((done, failed) => {
    image.addEventListener('load', done);
    image.addEventListener('error', failed);
    image.src = href;
  });
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [width * 2, height * 2];
  canvas.getContext('2d')?.drawImage(image, 0, 0, canvas.width, canvas.height);
  return save(canvas.toDataURL('image/png'), `${name}.png`);
}
