/** Hands a file to the browser's downloads. */
export function save(name: string, content: Blob) {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

const kept = ['fill', 'stroke', 'stroke-width', 'stroke-dasharray', 'stroke-linecap', 'stroke-linejoin', 'opacity', 'fill-opacity', 'stroke-opacity', 'font-family', 'font-size', 'font-weight', 'text-anchor', 'text-decoration', 'dominant-baseline'];

/** A drawing as it is shown, with its styles written into it and on its paper. */
export function drawing(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const shown = [svg, ...svg.querySelectorAll('*')];
  [copy, ...copy.querySelectorAll('*')].forEach((to, i) => {
    const style = getComputedStyle(shown[i]!);
    for (const key of kept) (to as SVGElement).style.setProperty(key, style.getPropertyValue(key));
    to.removeAttribute('class');
  });
  const { width, height } = svg.getBoundingClientRect();
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
  copy.setAttribute('width', String(width));
  copy.setAttribute('height', String(height));
  const paper = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
  paper.setAttribute('width', '100%');
  paper.setAttribute('height', '100%');
  paper.setAttribute('fill', getComputedStyle(document.documentElement).getPropertyValue('--sheet'));
  copy.prepend(paper);
  return new XMLSerializer().serializeToString(copy);
}

export function saveSvg(svg: SVGSVGElement, name: string) {
  save(`${name}.svg`, new Blob([drawing(svg)], { type: 'image/svg+xml' }));
}

/** Saves a drawing as pixels, two for each of the screen's. */
export async function savePng(svg: SVGSVGElement, name: string) {
  const { width, height } = svg.getBoundingClientRect();
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(drawing(svg))}`;
  await image.decode();
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [width * 2, height * 2];
  canvas.getContext('2d')!.drawImage(image, 0, 0, width * 2, height * 2);
  const png = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/png'));
  if (png) save(`${name}.png`, png);
}
