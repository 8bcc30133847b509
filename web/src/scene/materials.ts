/** The surfaces that things are painted with. */
import { Color, DoubleSide, LineBasicMaterial, MeshBasicMaterial, MeshStandardMaterial, type Material } from 'three';
import { LineMaterial } from 'three/addons/lines/LineMaterial.js';
import { HOLLOW } from '@nagare/core/draw/scene';

/** Shares of a place as sectors about the line of sight: where each ends (of a turn, clockwise from above), and the colours after the first. */
const SECTOR_ATTRIBUTES =
  'attribute vec3 sectorEnds;\nattribute vec3 sector1;\nattribute vec3 sector2;\nattribute vec3 sector3;\n';
const SECTOR_VARYINGS =
  'varying vec3 ends;\nvarying vec3 second;\nvarying vec3 third;\nvarying vec3 fourth;\nvarying vec2 fromCentre;\n';
const SECTOR_VERTEX =
  '#include <project_vertex>\nends = sectorEnds;\nsecond = sector1;\nthird = sector2;\nfourth = sector3;\nfromCentre = mvPosition.xy - (modelViewMatrix * instanceMatrix * vec4(0.0, 0.0, 0.0, 1.0)).xy;\n';
const SECTOR_FRAGMENT =
  'if (ends.x < 1.0) {\nfloat turned = fract(atan(fromCentre.x, fromCentre.y) / 6.2831853 + 1.0);\nif (turned >= ends.x) diffuseColor.rgb = turned < ends.y ? second : turned < ends.z ? third : fourth;\n}\n';

/** Which eighth of an open ellipsoid faces the viewer: the signs of its half axes. */
const OPEN_SIGNS =
  'mat4 seen = modelViewMatrix * instanceMatrix;\nopenSigns = vec3(seen[0].z < 0.0 ? -1.0 : 1.0, seen[1].z < 0.0 ? -1.0 : 1.0, seen[2].z < 0.0 ? -1.0 : 1.0);\n';

/** The cuts of open ellipsoids: a corner of three quarter discs, turned towards the viewer, with ink along its edges. */
function asCuts(material: MeshStandardMaterial): MeshStandardMaterial {
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nvarying vec3 unitPoint;\nvec3 openSigns;')
      .replace(
        '#include <begin_vertex>',
        `${OPEN_SIGNS}vec3 transformed = position * openSigns;\nunitPoint = position;`,
      );
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nvarying vec3 unitPoint;')
      .replace(
        '#include <color_fragment>',
        '#include <color_fragment>\nfloat most = max(unitPoint.x, max(unitPoint.y, unitPoint.z));\nfloat least = min(unitPoint.x, min(unitPoint.y, unitPoint.z));\nfloat between = unitPoint.x + unitPoint.y + unitPoint.z - most - least;\nif (length(unitPoint) > 0.955 || between < 0.03) diffuseColor.rgb = vec3(0.004, 0.005, 0.006);',
      );
  };
  return material;
}

/** Sticks whose middle, as they are seen, has another colour than their rims. */
function asHollow(material: MeshStandardMaterial, inner: string): MeshStandardMaterial {
  material.onBeforeCompile = (shader) => {
    shader.uniforms['inner'] = { value: new Color(inner) };
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nvarying vec3 along;')
      .replace(
        '#include <project_vertex>',
        '#include <project_vertex>\nalong = normalize((modelViewMatrix * instanceMatrix * vec4(0.0, 1.0, 0.0, 0.0)).xyz);',
      );
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nvarying vec3 along;\nuniform vec3 inner;')
      .replace(
        '#include <opaque_fragment>',
        `vec3 sight = isOrthographic ? vec3(0.0, 0.0, 1.0) : normalize(vViewPosition);\nvec3 across = normalize(sight - along * dot(sight, along));\nfloat facing = dot(normal, across);\nif (1.0 - facing * facing < ${(HOLLOW * HOLLOW).toFixed(4)}) outgoingLight = inner;\n#include <opaque_fragment>`,
      );
  };
  return material;
}

/** Films whose other side has another colour. */
function asTwoSided(material: MeshStandardMaterial, inside: string): MeshStandardMaterial {
  material.onBeforeCompile = (shader) => {
    shader.uniforms['inside'] = { value: new Color(inside) };
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nuniform vec3 inside;')
      .replace(
        '#include <color_fragment>',
        // Films that are seen through are painted in two passes, the first of which is turned round.
        '#include <color_fragment>\n#ifdef FLIP_SIDED\ndiffuseColor.rgb = inside;\n#else\nif (!gl_FrontFacing) diffuseColor.rgb = inside;\n#endif',
      );
  };
  return material;
}

/** Principal ellipses: dark (light on dark colours) where a coordinate of the unit sphere vanishes, on real ellipsoids only. */
function withEllipses(material: MeshStandardMaterial): MeshStandardMaterial {
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
      .replace(
        '#include <common>',
        `#include <common>\nattribute float ringed;\nvarying vec3 unitPoint;\nvarying vec3 openSigns;\nvarying float hasRings;\n${SECTOR_ATTRIBUTES}${SECTOR_VARYINGS}`,
      )
      .replace('#include <project_vertex>', SECTOR_VERTEX)
      .replace(
        '#include <begin_vertex>',
        '#include <begin_vertex>\nunitPoint = position;\nhasRings = min(ringed, 1.0);\nopenSigns = vec3(0.0);\nif (ringed > 1.5) {\n' +
          OPEN_SIGNS +
          '}',
      );
    shader.fragmentShader = shader.fragmentShader
      .replace(
        '#include <common>',
        `#include <common>\nvarying vec3 unitPoint;\nvarying vec3 openSigns;\nvarying float hasRings;\n${SECTOR_VARYINGS}`,
      )
      .replace(
        '#include <color_fragment>',
        `#include <color_fragment>\nif (all(greaterThan(unitPoint * openSigns, vec3(0.0)))) discard;\n${SECTOR_FRAGMENT}vec3 ring = abs(unitPoint);\nfloat nearest = min(ring.x, min(ring.y, ring.z));\nfloat bright = dot(diffuseColor.rgb, vec3(0.3, 0.6, 0.1));\nvec3 ringColour = bright < 0.07 ? vec3(0.7, 0.68, 0.62) : vec3(0.004, 0.005, 0.006);\ndiffuseColor.rgb = mix(diffuseColor.rgb, ringColour, hasRings * (1.0 - smoothstep(0.035, 0.06, nearest)));`,
      );
  };
  return material;
}

/** Materials are made once and kept: with the last of a kind its compiled program would go, and compiling again stops the page. */
export class Materials {
  private readonly known = new Map<string, Material>();

  get<T extends Material>(key: string, make: () => T): T {
    let material = this.known.get(key) as T | undefined;
    if (!material) this.known.set(key, (material = make()));
    return material;
  }

  atoms(opacity: number): MeshStandardMaterial {
    return this.get(`atoms ${opacity}`, () =>
      withEllipses(new MeshStandardMaterial({ roughness: 0.55, metalness: 0.02, transparent: opacity < 1, opacity })),
    );
  }

  solid(opacity: number): MeshStandardMaterial {
    return this.get(
      `solid ${opacity}`,
      () => new MeshStandardMaterial({ roughness: 0.7, transparent: opacity < 1, opacity }),
    );
  }

  /** Of the cuts of open ellipsoids. */
  cuts(opacity: number): MeshStandardMaterial {
    return this.get(`cuts ${opacity}`, () =>
      asCuts(
        new MeshStandardMaterial({
          roughness: 0.7,
          flatShading: true,
          side: DoubleSide,
          transparent: opacity < 1,
          opacity,
        }),
      ),
    );
  }

  hollow(opacity: number, inner: string): MeshStandardMaterial {
    return this.get(`hollow ${opacity} ${inner}`, () =>
      asHollow(new MeshStandardMaterial({ roughness: 0.7, transparent: opacity < 1, opacity }), inner),
    );
  }

  line(colour: string, opacity: number): LineBasicMaterial {
    return this.get(
      `line ${colour} ${opacity}`,
      () => new LineBasicMaterial({ color: colour, transparent: opacity < 1, opacity }),
    );
  }

  /** `width` in pixels of the page. */
  wide(colour: string, opacity: number, width: number): LineMaterial {
    return this.get(
      `wide ${colour} ${opacity} ${width}`,
      () => new LineMaterial({ color: colour, transparent: opacity < 1, opacity, linewidth: width }),
    );
  }

  flat(colour: string, opacity: number): MeshBasicMaterial {
    return this.get(
      `flat ${colour} ${opacity}`,
      () =>
        new MeshBasicMaterial({
          color: colour,
          transparent: opacity < 1,
          opacity,
          side: DoubleSide,
          depthWrite: opacity >= 1,
        }),
    );
  }

  /** `shaded`: every vertex has a colour of its own; `inside`: colour of the side where triangles are seen clockwise. */
  film(colour: string, opacity: number, shaded = false, inside?: string): MeshStandardMaterial {
    return this.get(`film ${colour} ${opacity} ${shaded} ${inside}`, () => {
      const material = new MeshStandardMaterial({
        color: colour,
        vertexColors: shaded,
        transparent: opacity < 1,
        opacity,
        side: DoubleSide,
        depthWrite: opacity >= 1,
        roughness: 0.6,
      });
      return inside ? asTwoSided(material, inside) : material;
    });
  }

  mesh(colour: string, opacity: number): MeshBasicMaterial {
    return this.get(
      `mesh ${colour} ${opacity}`,
      () => new MeshBasicMaterial({ color: colour, wireframe: true, transparent: true, opacity }),
    );
  }

  dispose(): void {
    for (const m of this.known.values()) m.dispose();
  }
}
