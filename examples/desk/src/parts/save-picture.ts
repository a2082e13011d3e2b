const SCALE = 2;
const PAINTED = ["fill", "stroke", "stroke-width", "font-family", "font-size", "font-variant-numeric"] as const;

/** A chart with the looks that it has on the page, as a file of its own. */
function standingAlone(chart: SVGSVGElement): SVGSVGElement {
  // A clone of an SVG element is one.
  const alone = chart.cloneNode(true) as SVGSVGElement;
  alone.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  const before = chart.querySelectorAll("*");
  alone.querySelectorAll("*").forEach((element, index) => {
    const style = getComputedStyle(before[index]!);
    for (const name of PAINTED) element.setAttribute(name, style.getPropertyValue(name));
  });
  // Addresses of this desk mean nothing elsewhere.
  for (const link of alone.querySelectorAll("a")) link.replaceWith(...link.childNodes);
  for (const hit of alone.querySelectorAll(".hit")) hit.remove();
  const { width, height } = chart.viewBox.baseVal;
  const ground = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  ground.setAttribute("width", String(width));
  ground.setAttribute("height", String(height));
  ground.setAttribute("fill", getComputedStyle(document.body).backgroundColor);
  alone.prepend(ground);
  alone.setAttribute("width", String(width));
  alone.setAttribute("height", String(height));
  return alone;
}

/** Takes a chart away: as SVG, or drawn twice as large as PNG. */
export async function savePicture(chart: SVGSVGElement, name: string, form: "svg" | "png"): Promise<void> {
  const svg = new XMLSerializer().serializeToString(standingAlone(chart));
  const link = document.createElement("a");
  link.download = `${name.replace(/[^\p{L}\p{N}_-]+/gu, "-")}.${form}`;
  link.href = URL.createObjectURL(form === "svg" ? new Blob([svg], { type: "image/svg+xml" }) : await drawn(svg, chart.viewBox.baseVal));
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

async function drawn(svg: string, { width, height }: DOMRect): Promise<Blob> {
  const picture = new Image();
  // The page's policy lets pictures in by `data:`, not from elsewhere.
  picture.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await picture.decode();
  const canvas = document.createElement("canvas");
  canvas.width = width * SCALE;
  canvas.height = height * SCALE;
  canvas.getContext("2d")!.drawImage(picture, 0, 0, canvas.width, canvas.height);
  return new Promise<Blob>((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error("The picture could not be drawn."))), "image/png"),
  );
}
