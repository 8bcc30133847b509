/** The surfaces that things are painted with. */
import { DoubleSide, LineBasicMaterial, MeshBasicMaterial, MeshStandardMaterial, type Material } from 'three';

/** Principal ellipses: dark (light on dark colours) where a coordinate of the unit sphere vanishes, on real ellipsoids only. */
function withEllipses(material: MeshStandardMaterial): MeshStandardMaterial {
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
      .replace(
        '#include <common>',
        '#include <common>\nattribute float ringed;\nvarying vec3 unitPoint;\nvarying float hasRings;',
      )
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nunitPoint = position;\nhasRings = ringed;');
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nvarying vec3 unitPoint;\nvarying float hasRings;')
      .replace(
        '#include <color_fragment>',
        '#include <color_fragment>\nvec3 ring = abs(unitPoint);\nfloat nearest = min(ring.x, min(ring.y, ring.z));\nfloat bright = dot(diffuseColor.rgb, vec3(0.3, 0.6, 0.1));\nvec3 ringColour = bright < 0.07 ? vec3(0.7, 0.68, 0.62) : vec3(0.004, 0.005, 0.006);\ndiffuseColor.rgb = mix(diffuseColor.rgb, ringColour, hasRings * (1.0 - smoothstep(0.035, 0.06, nearest)));',
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

  line(colour: string, opacity: number): LineBasicMaterial {
    return this.get(
      `line ${colour} ${opacity}`,
      () => new LineBasicMaterial({ color: colour, transparent: opacity < 1, opacity }),
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

  /** `shaded`: every vertex has a colour of its own. */
  film(colour: string, opacity: number, shaded = false): MeshStandardMaterial {
    return this.get(
      `film ${colour} ${opacity} ${shaded}`,
      () =>
        new MeshStandardMaterial({
          color: colour,
          vertexColors: shaded,
          transparent: opacity < 1,
          opacity,
          side: DoubleSide,
          depthWrite: opacity >= 1,
          roughness: 0.6,
        }),
    );
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
