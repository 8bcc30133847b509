/** Hydrogens of one atom turned by hand, with the density under them told as they go. */
import { useQuery } from '@tanstack/react-query';
import { useEffect, useEffectEvent, useState, type ReactNode } from 'react';
import { positionOf, siteOf } from '@nagare/core/crystal/atom-ref';
import { orthogonalization } from '@nagare/core/crystal/cell';
import { cartesian } from '@nagare/core/crystal/structure';
import { add, apply3, inverse3, normalize, subtract, turn, type Vec3 } from '@nagare/core/math/matrix3';
import type { JudgedPlaces } from '@nagare/core/model/hydrogen-plan';
import { withSites } from '@nagare/core/model/place-hydrogens';
import type { MapResult } from '@nagare/core/settle/stage';
import { run } from '../../engine/engine.ts';
import { NumberField } from '../../frame/parts.tsx';
import { useEdit, useProject } from '../../store/use-project.tsx';

/** Density and hydrogen bonds at places, in words. */
const judgedWords = ({ density, partners }: JudgedPlaces): string => {
  const bonds = partners.map((p) => `${p.label} (${p.distance.toFixed(2)} Å, ${p.angle.toFixed(0)}°)`);
  return `residual density ${density.map((x) => x.toFixed(2)).join(', ')} e Å⁻³ at the new places; ${
    bonds.length ? `bonds to ${bonds.join(', ')}` : 'no hydrogen-bond partner in reach'
  }.`;
};

/** Turns the hydrogens of one atom by hand about the bond or a screen-independent axis, with the density under them live. */
export function Turner({ groupId, map }: { groupId: string; map: MapResult | undefined }): ReactNode {
  const { head, setGhost, selection } = useProject('head', 'setGhost', 'selection');
  const edit = useEdit();
  const s = head!.structure!;
  const g = s.controls!.hydrogens.find((x) => x.id === groupId)!;
  const at = (id: string): Vec3 => cartesian(s.cell, s.sites.find((x) => x.id === id)!.position);
  const [angles, setAngles] = useState<[number, number, number]>([0, 0, 0]);
  const parent = at(g.parent);
  // A selected atom names a bond to turn about; else the Cartesian axes serve.
  const other = selection.find((a) => siteOf(s, a) && !g.hydrogens.includes(a.site));
  const bond = other && normalize(subtract(parent, cartesian(s.cell, positionOf(s, other))));
  const axes: Vec3[] = [bond && bond.some((x) => Math.abs(x) > 1e-6) ? bond : [1, 0, 0], [0, 1, 0], [0, 0, 1]];
  const positions = g.hydrogens.map((h) =>
    angles.reduce((p, a, k) => add(parent, turn(subtract(p, parent), axes[k]!, (a * Math.PI) / 180)), at(h)),
  );
  const inverse = inverse3(orthogonalization(s.cell));
  // Judged in a worker; while it works what was said last stays.
  const { data: judged } = useQuery({
    queryKey: ['judge places', head!.id, groupId, positions.map((p) => p.map((x) => x.toFixed(4)).join()).join(';')],
    staleTime: Infinity,
    gcTime: 30_000,
    placeholderData: (last: JudgedPlaces | undefined) => last,
    queryFn: () => {
      const bare = withSites(
        s,
        s.sites.filter((x) => !g.hydrogens.includes(x.id)),
      );
      return run('judgePlaces', { structure: bare, ...(map ? { map } : {}), parent: g.parent, positions }).result;
    },
  });
  const moved = angles.some((a) => a !== 0);
  const show = useEffectEvent(() =>
    setGhost(moved ? { title: 'turned', positions, elements: positions.map(() => 'H'), colour: 'gold' } : undefined),
  );
  useEffect(() => {
    show();
    return () => setGhost(undefined);
  }, [angles, setGhost]);
  return (
    <div className="detail">
      <p className="mb-1">
        Turn by hand{bond ? ` (first angle about the bond from ${siteOf(s, other!)!.label})` : ''}:{' '}
        {judged ? judgedWords(judged) : 'looking at the density there…'}
      </p>
      <div className="d-flex gap-2">
        {angles.map((a, k) => (
          <NumberField
            key={k}
            id={`turn-${k}`}
            value={a}
            digits={0}
            step={5}
            unit="°"
            onChange={(v) => setAngles((x) => x.map((y, i) => (i === k ? v : y)) as [number, number, number])}
          />
        ))}
      </div>
      <div className="mt-1">
        <button
          className="word"
          disabled={!moved}
          onClick={() =>
            void edit(
              {
                ...s,
                sites: s.sites.map((x) => {
                  const i = g.hydrogens.indexOf(x.id);
                  return i < 0 ? x : { ...x, position: apply3(inverse, positions[i]!) };
                }),
              },
              `hydrogens of ${s.sites.find((x) => x.id === g.parent)!.label} turned by hand`,
            )
          }
        >
          Keep
        </button>
        <button className="word" disabled={!moved} onClick={() => setAngles([0, 0, 0])}>
          Back
        </button>
      </div>
    </div>
  );
}
