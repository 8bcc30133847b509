/** What aspherical atoms gained: figures beside those of spherical ones, bonds to hydrogen, charges and dipoles. */
import type { ReactNode } from 'react';
import { hydrogenLengths } from '@nagare/core/aspherical/free-hydrogens';
import { NEUTRON_LENGTHS } from '@nagare/core/contacts/molecules';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { kelvinOf, type AsphericalAtoms, type MoleculeReading } from '@nagare/core/crystal/form-factors';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { distance } from '@nagare/core/geometry/figures';
import { measure } from '@nagare/core/geometry/measure';
import { decimal } from '@nagare/core/math/decimal';
import { percent } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';

export function AsphericalGain({ aspherical }: { aspherical: AsphericalAtoms }): ReactNode {
  const { setPane } = useProject('setPane');
  return (
    <>
      <Figures before={aspherical.spherical} />
      <p className="acts mb-1">
        <button
          className="word"
          title="Residual density of spherical and of aspherical atoms at the same levels; through three picked atoms, or the mean plane"
          onClick={() => setPane('section')}
        >
          Sections before and after
        </button>
      </p>
      <Lengths aspherical={aspherical} />
      <details>
        <summary>Molecules: energies, dipoles, charges</summary>
        {aspherical.molecules.map((m, i) => (
          <Molecule key={i} m={m} />
        ))}
      </details>
    </>
  );
}

const plain = (x: number): string => decimal(x, 2);

function Figures({ before }: { before: AsphericalAtoms['spherical'] }): ReactNode {
  const { head } = useProject('head');
  const now = head!;
  const rows: readonly (readonly [string, string, string])[] = [
    ['R1', percent(before.r1), percent(now.r1)],
    ['wR2', percent(before.wr2), percent(now.wr2)],
    ['peak, e Å⁻³', before.peak.toFixed(2), now.residual?.peak.toFixed(2) ?? '–'],
    ['hole, e Å⁻³', plain(before.hole), now.residual ? plain(now.residual.hole) : '–'],
  ];
  return (
    <table className="wave-gain" aria-label="Figures with spherical and aspherical atoms">
      <thead>
        <tr>
          <th />
          <th className="n">spherical</th>
          <th className="n">aspherical</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, was, is]) => (
          <tr key={name}>
            <td>{name}</td>
            <td className="n">{was}</td>
            <td className="n">{is}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Bonds to hydrogen, Å: what spherical atoms gave, what is now, and the mean of neutrons. */
function Lengths({ aspherical }: { aspherical: AsphericalAtoms }): ReactNode {
  const { head, result } = useProject('head', 'result');
  const s = head!.structure!;
  const sites = new Map(s.sites.map((x) => [x.id, x]));
  const before = new Map(aspherical.spherical.lengths.map((x) => [x.hydrogen, x.length]));
  return (
    <table className="wave-lengths" aria-label="Bonds to hydrogen">
      <thead>
        <tr>
          <th>bond, Å</th>
          <th className="n">spherical</th>
          <th className="n">now</th>
          <th className="n">neutrons’ mean</th>
        </tr>
      </thead>
      <tbody>
        {hydrogenLengths(s).map(({ hydrogen, parent, length }) => {
          const su = measure(s, [originalRef(parent), originalRef(hydrogen)], distance, result?.covariance).su;
          return (
            <tr key={hydrogen}>
              <td>
                {sites.get(parent)!.label}–{sites.get(hydrogen)!.label}
              </td>
              <td className="n">{before.get(hydrogen)?.toFixed(3) ?? '–'}</td>
              <td className="n">{formatMeasured(length, su, 3)}</td>
              <td className="n soft">{NEUTRON_LENGTHS[sites.get(parent)!.element]?.toFixed(3) ?? '–'}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** Which part of a large molecule these are. */
export const partWords = ({ part }: Pick<MoleculeReading, 'part'>): string =>
  part ? ` (part ${part.number} of ${part.of})` : '';

const signed = (x: number): string => `${x < 0 ? '−' : '+'}${Math.abs(x).toFixed(2)}`;

function Molecule({ m }: { m: MoleculeReading }): ReactNode {
  return (
    <section className="wave-molecule">
      <p className="mb-1">
        {m.labels[0]} and {m.labels.length - 1} more{partWords(m)}
        {m.charge ? `, charge ${m.charge}` : ''}: <span className="mono">{decimal(m.energy, 5)}</span> hartree after{' '}
        {m.iterations} iterations
        {m.converged ? '' : ' (not self-consistent)'}
        {m.smearing ? `, orbitals of nearly one energy filled at ${kelvinOf(m.smearing).toFixed(0)} K` : ''}; dipole{' '}
        <span className="mono">{m.dipole.toFixed(2)}</span> D; {m.functions} functions.
        {m.shared !== undefined && (
          <>
            {' '}
            The shares hold {m.shared.toFixed(3)} of {m.electrons} electrons.
          </>
        )}
      </p>
      <p className="charges mono">
        {m.labels.map((label, i) => (
          <span key={i}>
            {label} {signed(m.charges[i]!)}
          </span>
        ))}
      </p>
    </section>
  );
}
