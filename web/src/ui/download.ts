/** Hands a text to the person as a file. */
export function download(name: string, text: string, type: string): void {
  const url = URL.createObjectURL(new Blob([text], { type }));
  const link = document.createElement("a");
  link.href = url;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 1000);
}

export function downloadText(text: string, name: string): void {
  download(name, text, "text/plain");
}

function cell(value: string): string {
  // A leading sign would make a spreadsheet take the cell for a formula.
  const safe = /^[=+\-@\t\r]/.test(value) ? `'${value}` : value;
  return /[",\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}

export function toCsv(head: string[], rows: string[][]): string {
  return [head, ...rows].map((row) => row.map(cell).join(",")).join("\r\n") + "\r\n";
}

/** A drawing with its computed styles, as a file that stands on its own. */
export function svgText(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const originals = [svg, ...svg.querySelectorAll("*")];
  const copies = [copy, ...copy.querySelectorAll("*")];
  originals.forEach((element, index) => {
    const style = getComputedStyle(element);
    const target = copies[index] as SVGElement;
    for (const name of ["fill", "stroke", "stroke-width", "stroke-dasharray", "font-family", "font-size", "font-weight", "text-anchor", "opacity"]) {
      const value = style.getPropertyValue(name);
      if (value) target.setAttribute(name, value);
    }
    target.removeAttribute("class");
    target.removeAttribute("tabindex");
  });
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  const ground = getComputedStyle(document.body).backgroundColor;
  copy.setAttribute("style", `background:${ground}`);
  return new XMLSerializer().serializeToString(copy);
}

export function downloadSvg(svg: SVGSVGElement | null, name: string): void {
  if (svg) download(`${name}.svg`, svgText(svg), "image/svg+xml");
}

export function downloadPng(svg: SVGSVGElement | null, name: string): void {
  if (!svg) return;
  const box = svg.getBoundingClientRect();
  const image = new Image();
  image.onload = () => {
    const canvas = document.createElement("canvas");
    canvas.width = box.width * 2;
    canvas.height = box.height * 2;
    const context = canvas.getContext("2d");
    if (!context) return;
    context.fillStyle = getComputedStyle(document.body).backgroundColor;
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.drawImage(image, 0, 0, canvas.width, canvas.height);
    const link = document.createElement("a");
    link.href = canvas.toDataURL("image/png");
    link.download = `${name}.png`;
    link.click();
  };
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svgText(svg))}`;
}
