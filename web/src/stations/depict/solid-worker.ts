/** Files of solids, written beside the page. */
import { BufferAttribute, BufferGeometry, Group, Mesh, MeshStandardMaterial } from 'three';
import { GLTFExporter } from 'three/addons/exporters/GLTFExporter.js';
import { STLExporter } from 'three/addons/exporters/STLExporter.js';
import { solidMeshes } from '@nagare/core/depict/solid-meshes';
import type { Layer } from '@nagare/core/draw/scene';

export interface SolidOrder {
  readonly layers: readonly Layer[];
  readonly kind: 'glb' | 'stl';
}
export type SolidAnswer = { readonly bytes: ArrayBuffer } | { readonly problem: string };

const page = self as unknown as {
  postMessage(answer: SolidAnswer, transfer?: Transferable[]): void;
  onmessage: ((e: MessageEvent<SolidOrder>) => void) | null;
};

function groupOf(layers: readonly Layer[]): Group {
  const group = new Group();
  for (const { colour, opacity, positions, normals, indices } of solidMeshes(layers)) {
    const shape = new BufferGeometry();
    shape.setAttribute('position', new BufferAttribute(positions, 3));
    shape.setAttribute('normal', new BufferAttribute(normals, 3));
    shape.setIndex(new BufferAttribute(indices, 1));
    const material = new MeshStandardMaterial({ color: colour, roughness: 0.6, transparent: opacity < 1, opacity });
    group.add(new Mesh(shape, material));
  }
  return group;
}

async function written({ layers, kind }: SolidOrder): Promise<ArrayBuffer> {
  const group = groupOf(layers);
  if (kind === 'glb') return (await new GLTFExporter().parseAsync(group, { binary: true })) as ArrayBuffer;
  const view = new STLExporter().parse(group, { binary: true });
  return view.buffer as ArrayBuffer;
}

page.onmessage = ({ data }) => {
  written(data).then(
    (bytes) => page.postMessage({ bytes }, [bytes]),
    (e: Error) => page.postMessage({ problem: e.message }),
  );
};
