// Splats: ellipses blended from the farthest to the nearest, each in its colour as seen from here (M. Zwicker and others, EWA
// splatting, 2002: the ellipsoid's covariance as the screen sees it).
import {
  DataTexture,
  DynamicDrawUsage,
  InstancedBufferAttribute,
  InstancedBufferGeometry,
  BufferAttribute,
  Mesh,
  NearestFilter,
  RGBAIntegerFormat,
  ShaderMaterial,
  UnsignedIntType,
  Vector2,
  type Camera,
  type WebGLRenderer,
} from "three";
import { CUT, cut } from "../cut";
import { type Box, type Kind, places } from "./kind";

/** Texels of four words a splat, and splats in one row of the texture. */
const TEXELS = 3;
const ROW = 1024;
/** The order is made again when the direction of view has turned by more than this, as a cosine. */
const TURNED = 0.99995;
const KEYS = 1 << 16;

const vertexShader = `
  uniform highp usampler2D data; uniform vec2 frame;
  attribute uint which;
  varying vec2 vAt; varying vec4 vTint; varying vec3 vWorld;
  uvec4 word(int k) { int i = int(which) * ${TEXELS} + k; return texelFetch(data, ivec2(i % ${ROW * TEXELS}, i / ${ROW * TEXELS}), 0); }
  vec4 quarters(uint w) { return vec4(float(w & 255u), float((w >> 8) & 255u), float((w >> 16) & 255u), float(w >> 24)); }
  vec3 signedBytes(uint w) { return (quarters(w).xyz - 128.0) / 100.0; }
  void main() {
    uvec4 a = word(0); uvec4 b = word(1); uvec4 c = word(2);
    vec3 place = vec3(uintBitsToFloat(a.x), uintBitsToFloat(a.y), uintBitsToFloat(a.z));
    vec4 world = modelMatrix * vec4(place, 1.0);
    vec4 middle = projectionMatrix * viewMatrix * world;
    vec3 axes = exp2(vec3(float(b.x & 1023u), float((b.x >> 10) & 1023u), float((b.x >> 20) & 1023u)) / 16.0 - 32.0);
    vec4 q = normalize(quarters(b.y) - 128.0);
    float w = q.x, x = q.y, y = q.z, z = q.w;
    mat3 turn = mat3(
      1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z), 2.0 * (x * z - w * y),
      2.0 * (x * y - w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z + w * x),
      2.0 * (x * z + w * y), 2.0 * (y * z - w * x), 1.0 - 2.0 * (x * x + y * y));
    mat3 seen = mat3(viewMatrix) * mat3(modelMatrix) * turn;
    // Pixels for a length at that depth.
    vec2 pixels = 0.5 * frame * vec2(projectionMatrix[0][0], projectionMatrix[1][1]) / middle.w;
    vec2 u = pixels * seen[0].xy * axes.x, v = pixels * seen[1].xy * axes.y, t = pixels * seen[2].xy * axes.z;
    // No splat is thinner than a third of a pixel.
    float xx = u.x * u.x + v.x * v.x + t.x * t.x + 0.3;
    float yy = u.y * u.y + v.y * v.y + t.y * t.y + 0.3;
    float xy = u.x * u.y + v.x * v.y + t.x * t.y;
    float mean = 0.5 * (xx + yy), off = length(vec2(0.5 * (xx - yy), xy));
    float first = mean + off, second = max(mean - off, 0.1);
    vec2 along = off < 1e-6 ? vec2(1.0, 0.0) : normalize(abs(xy) > 1e-6 ? vec2(first - yy, xy) : (xx > yy ? vec2(1.0, 0.0) : vec2(0.0, 1.0)));
    vec2 across = vec2(-along.y, along.x);
    vec2 at = position.xy * 3.0;
    vec2 shift = at.x * min(sqrt(first), 600.0) * along + at.y * min(sqrt(second), 600.0) * across;
    vec3 gaze = -vec3(viewMatrix[0][2], viewMatrix[1][2], viewMatrix[2][2]);
    vec4 base = quarters(a.w) / 255.0;
    vec3 sheen = vec3(dot(signedBytes(b.z), gaze), dot(signedBytes(b.w), gaze), dot(signedBytes(c.x), gaze));
    vAt = at; vTint = vec4(clamp(base.rgb + sheen, 0.0, 1.0), base.a); vWorld = world.xyz;
    gl_Position = middle + vec4(2.0 * shift / frame * middle.w, 0.0, 0.0);
  }`;

const fragmentShader = `${CUT}
  varying vec2 vAt; varying vec4 vTint; varying vec3 vWorld;
  void main() {
    if (isCutAway(vWorld)) discard;
    float alpha = vTint.a * exp(-0.5 * dot(vAt, vAt));
    if (alpha < 0.004) discard;
    gl_FragColor = vec4(vTint.rgb, alpha);
  }`;

export interface Splats {
  place: Float32Array;
  /** Texels as the shader reads them. */
  texels: Uint32Array;
  rows: number;
}

/** Places and texels of a chunk. */
export function decodeSplats(words: Uint32Array, box: Box): Splats {
  const count = words[0];
  const place = places(words.subarray(1, 1 + 2 * count), box);
  const rows = Math.max(1, Math.ceil(count / ROW));
  const texels = new Uint32Array(rows * ROW * TEXELS * 4);
  const bits = new Uint32Array(place.buffer);
  const [axes, turns, tints, sheen] = [3, 4, 5, 6].map((k) => (k - 1) * count + 1);
  for (let i = 0; i < count; i++) {
    const at = i * TEXELS * 4;
    texels.set(bits.subarray(3 * i, 3 * i + 3), at);
    texels[at + 3] = words[tints + i];
    texels[at + 4] = words[axes + i];
    texels[at + 5] = words[turns + i];
    for (let k = 0; k < 3; k++) texels[at + 6 + k] = words[sheen + 3 * i + k];
  }
  return { place, texels, rows };
}

/** Numbers of places from the farthest along a direction to the nearest: a counting sort by 65 536 depths. */
export function farthestFirst(place: Float32Array, [x, y, z]: readonly number[], order: Uint32Array): void {
  const count = place.length / 3;
  const depth = new Float32Array(count);
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < count; i++) {
    const d = place[3 * i] * x + place[3 * i + 1] * y + place[3 * i + 2] * z;
    depth[i] = d;
    if (d < low) low = d;
    if (d > high) high = d;
  }
  const factor = high > low ? (KEYS - 1) / (high - low) : 0;
  const starts = new Uint32Array(KEYS + 1);
  const key = new Uint16Array(count);
  for (let i = 0; i < count; i++) {
    key[i] = (high - depth[i]) * factor;
    starts[key[i] + 1]++;
  }
  for (let k = 0; k < KEYS; k++) starts[k + 1] += starts[k];
  for (let i = 0; i < count; i++) order[starts[key[i]]++] = i;
}

function sorted(mesh: Mesh, place: Float32Array, which: InstancedBufferAttribute): void {
  let last = [0, 0, 0];
  const order = which.array as Uint32Array;
  mesh.onBeforeRender = (renderer: WebGLRenderer, _, camera: Camera) => {
    const m = camera.matrixWorldInverse.elements;
    const gaze = [-m[2], -m[6], -m[10]];
    const frame = (mesh.material as ShaderMaterial).uniforms.frame.value as Vector2;
    renderer.getDrawingBufferSize(frame);
    if (gaze[0] * last[0] + gaze[1] * last[1] + gaze[2] * last[2] > TURNED) return;
    last = gaze;
    farthestFirst(place, gaze, order);
    which.needsUpdate = true;
  };
}

export const splats: Kind = {
  tag: "SPLT",
  draw(words, box) {
    const { place, texels, rows } = decodeSplats(words, box);
    const data = new DataTexture(texels, ROW * TEXELS, rows, RGBAIntegerFormat, UnsignedIntType);
    data.internalFormat = "RGBA32UI";
    data.minFilter = data.magFilter = NearestFilter;
    data.needsUpdate = true;
    const shape = new InstancedBufferGeometry();
    const corners = new Float32Array([-1, -1, 0, 1, -1, 0, 1, 1, 0, -1, 1, 0]);
    shape.setAttribute("position", new BufferAttribute(corners, 3));
    shape.setIndex([0, 1, 2, 0, 2, 3]);
    const which = new InstancedBufferAttribute(
      Uint32Array.from({ length: words[0] }, (_, i) => i),
      1,
    );
    which.gpuType = UnsignedIntType as unknown as typeof which.gpuType;
    which.setUsage(DynamicDrawUsage);
    shape.setAttribute("which", which);
    shape.instanceCount = words[0];
    const uniforms = { data: { value: data }, frame: { value: new Vector2(1, 1) }, cut };
    const material = new ShaderMaterial({
      vertexShader,
      fragmentShader,
      uniforms,
      transparent: true,
      depthWrite: false,
    });
    const mesh = new Mesh(shape, material);
    mesh.frustumCulled = false;
    sorted(mesh, place, which);
    return mesh;
  },
};
