// A drawing as a file of its own: what its style sheet says is written into it.
const SAID = ['fill', 'fill-opacity', 'stroke', 'stroke-width', 'stroke-dasharray', 'font-family', 'font-size', 'font-weight', 'opacity', 'text-anchor'];

/** One SVG of all drawings of a place, below one another, on the paper of the theme. */
export function svgText(place: HTMLElement, title: string): { text: string; width: number; height: number } {
  const drawings = [...place.querySelectorAll<SVGSVGElement>('svg.picture')];
  const origin = place.getBoundingClientRect();
  const [width, height] = [place.scrollWidth, place.scrollHeight];
  const parts = drawings.map((svg) => {
    const copy = svg.cloneNode(true) as SVGSVGElement;
    const sources = svg.querySelectorAll<SVGElement>('*');
    for (const [i, element] of [...copy.querySelectorAll<SVGElement>('*')].entries()) {
      const source = sources[i];
      if (!source) continue;
      const style = getComputedStyle(source);
      element.setAttribute('style', SAID.map((name) => `${name}:${style.getPropertyValue(name).replaceAll('"', "'")}`).join(';'));
      for (const name of ['class', 'tabindex', 'role']) element.removeAttribute(name);
    }
    const box = svg.getBoundingClientRect();
    return `<g transform="translate(${box.left - origin.left + place.scrollLeft} ${box.top - origin.top + place.scrollTop})">${copy.innerHTML}</g>`;
  });
  const paper = getComputedStyle(document.documentElement).getPropertyValue('--paper').trim() || '#fff';
  const named = title.replaceAll('&', '&amp;').replaceAll('<', '&lt;');
  const text = `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}"><title>${named}</title><rect width="100%" height="100%" fill="${paper}"/>${parts.join('')}</svg>`;
  return { text, width, height };
}

function save(href: string, name: string): void {
  const link = document.createElement('a');
  link.href = href;
  link.download = name;
  link.click();
}

export async function takePicture(place: HTMLElement, name: string, kind: 'svg' | 'png'): Promise<void> {
  const { text, width, height } = svgText(place, name);
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
