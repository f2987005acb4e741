/** Pictures and texts to be taken along: on the clipboard, or as a file where that is barred. */

/** A PNG of an SVG picture, twice as fine as it is large. */
export async function pngOf(svg: string): Promise<Blob> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = image.width * 2;
  canvas.height = image.height * 2;
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error("no picture"))), "image/png"),
  );
}

/** Put text or a picture on the clipboard; saved as a file where that is not allowed. */
export async function copied(content: string | Blob, name: string): Promise<"copied" | "saved"> {
  try {
    if (typeof content === "string") await navigator.clipboard.writeText(content);
    else await navigator.clipboard.write([new ClipboardItem({ [content.type]: content })]);
    return "copied";
  } catch {
    const address = URL.createObjectURL(new Blob([content]));
    const link = document.createElement("a");
    link.href = address;
    link.download = name;
    link.click();
    window.setTimeout(() => URL.revokeObjectURL(address), 1000);
    return "saved";
  }
}

/** A drawn SVG as a file of its own: colours that the page's style gives are written out. */
export function standalone(svg: SVGSVGElement): string {
  const style = getComputedStyle(svg);
  const text = new XMLSerializer().serializeToString(svg);
  const known = text.replace(/var\((--[\w-]+)\)/g, (_, name: string) =>
    style.getPropertyValue(name).trim(),
  );
  const { width, height } = svg.getBoundingClientRect();
  const ground = style.getPropertyValue("--paper").trim();
  return known.replace(
    /^<svg([^>]*)>/,
    (_, attributes: string) =>
      `<svg${attributes.includes("xmlns=") ? "" : ' xmlns="http://www.w3.org/2000/svg"'}${attributes} ` +
      `font-family="IBM Plex Sans, sans-serif"><rect width="${width}" height="${height}" fill="${ground}"/>`,
  );
}
