// How facets are shaded: flat, by the direction they face in the view.
import { CUT } from "./cut";

export const vertexShader = `
  varying vec3 vWorld; varying vec3 vView;
  void main() {
    vec4 world = modelMatrix * vec4(position, 1.0);
    vec4 seen = viewMatrix * world;
    vWorld = world.xyz; vView = seen.xyz;
    gl_Position = projectionMatrix * seen;
  }`;

export const fragmentShader = `${CUT}
  uniform vec3 base; uniform float hatch; uniform float insides; uniform float opacity;
  varying vec3 vWorld; varying vec3 vView;
  void main() {
    if (isCutAway(vWorld)) discard;
    vec3 n = normalize(cross(dFdx(vView), dFdy(vView)));
    float light = 0.52 + 0.5 * clamp(dot(n, normalize(vec3(-0.35, 0.6, 0.9))), 0.0, 1.0);
    vec3 colour = base;
    float stripe = step(0.5, fract((gl_FragCoord.x + gl_FragCoord.y) / 9.0));
    if (hatch > 0.5) colour *= 1.0 - 0.16 * stripe;
    if (!gl_FrontFacing && insides > 0.5) colour = mix(vec3(0.30, 0.29, 0.24), vec3(0.40, 0.38, 0.31), stripe);
    gl_FragColor = vec4(colour * light, opacity);
    #include <colorspace_fragment>
  }`;
