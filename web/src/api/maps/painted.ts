import {
  DataArrayTexture,
  Float32BufferAttribute,
  LinearFilter,
  LinearMipmapLinearFilter,
  RepeatWrapping,
  RGBAFormat,
  UnsignedByteType,
  type BufferGeometry,
} from "three";

type Layer = { source: number; number: number; digest: string; colour: number[] };
export type Painted = { layers: Layer[]; objects: Map<number, Float32Array> };

/** px of each image on the model. */
const SIDE = 512;

/** How objects are painted in their own files: for each corner u, v and layer. */
export function readPainted(data: ArrayBuffer): Painted {
  const length = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as {
    layers: Layer[];
    objects: { object: number; first: number; count: number }[];
  };
  const body = new Float32Array(data, 4 + length);
  return {
    layers: head.layers,
    objects: new Map(
      head.objects.map(({ object, first, count }) => [
        object,
        body.subarray(3 * first, 3 * (first + count)),
      ]),
    ),
  };
}

/** Their images, one on the other. */
export async function paintedLayers({ layers }: Painted): Promise<DataArrayTexture | null> {
  if (!layers.length) return null;
  const pixels = new Uint8Array(SIDE * SIDE * 4 * layers.length);
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = SIDE;
  const pen = canvas.getContext("2d", { willReadFrequently: true })!;
  for (const [k, layer] of layers.entries()) {
    pen.fillStyle = "#fff";
    pen.fillRect(0, 0, SIDE, SIDE);
    if (layer.number >= 0) {
      const image = new Image();
      image.src = `/api/sources/${layer.source}/textures/${layer.number}/?size=512&given=${layer.digest}`;
      await image.decode().then(
        () => pen.drawImage(image, 0, 0, SIDE, SIDE),
        () => undefined,
      );
    }
    const own = pen.getImageData(0, 0, SIDE, SIDE).data;
    if (layer.colour.some((value) => value !== 1)) tint(own, layer.colour);
    pixels.set(own, k * own.length);
  }
  const texture = new DataArrayTexture(pixels, SIDE, SIDE, layers.length);
  texture.format = RGBAFormat;
  texture.type = UnsignedByteType;
  texture.wrapS = texture.wrapT = RepeatWrapping;
  texture.magFilter = LinearFilter;
  texture.minFilter = LinearMipmapLinearFilter;
  texture.generateMipmaps = true;
  texture.anisotropy = 8;
  texture.needsUpdate = true;
  return texture;
}

/** Factors are linear light. */
function tint(pixels: Uint8ClampedArray, colour: number[]): void {
  const tables = colour.slice(0, 3).map((factor) =>
    Uint8Array.from({ length: 256 }, (_, byte) => {
      const s = byte / 255;
      const light = Math.min(1, factor * (s <= 0.04045 ? s / 12.92 : ((s + 0.055) / 1.055) ** 2.4));
      return Math.round(
        255 * (light <= 0.0031308 ? 12.92 * light : 1.055 * light ** (1 / 2.4) - 0.055),
      );
    }),
  );
  for (let k = 0; k < pixels.length; k += 4)
    for (let c = 0; c < 3; c++) pixels[k + c] = tables[c][pixels[k + c]];
}

/** Give the meshes of an object what is known of its paint. */
export function wearPaint(geometry: BufferGeometry, corners: Float32Array | undefined): void {
  const count = geometry.getAttribute("position").count;
  if (!corners || corners.length !== 3 * count) {
    geometry.deleteAttribute("paint");
    return;
  }
  geometry.setAttribute("paint", new Float32BufferAttribute(corners, 3));
}
