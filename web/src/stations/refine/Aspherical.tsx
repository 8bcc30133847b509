/** Aspherical atoms: how good and how long, the rounds as they come, and what was gained. */
import './aspherical.scss';
import { useQuery } from '@tanstack/react-query';
import { useRef, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import {
  LEVEL_NAMES,
  LEVELS,
  METHOD_WORDS,
  BASIS_WORDS,
  NEIGHBOUR_WORDS,
  type LevelName,
  DIVISIONS,
  DIVISION_WORDS,
  type Division,
} from '@nagare/core/aspherical/levels';
import { NEIGHBOURHOODS, WHOLE, type Neighbourhood } from '@nagare/core/aspherical/cluster';
import type { Forecast, MoleculeForecast } from '@nagare/core/aspherical/forecast';
import { hydrogenLengths, type HydrogenFreedom } from '@nagare/core/aspherical/free-hydrogens';
import { formFactorText, readFormFactors } from '@nagare/core/formats/form-factor-text';
import type { Experiment } from '@nagare/core/crystal/experiment';
import { isHydrogen } from '@nagare/core/crystal/elements';
import type { Treatment } from '@nagare/core/crystal/treatment';
import type { AsphericalChoices } from '@nagare/core/tasks/wave-tasks';
import { run } from '../../engine/engine.ts';
import { textOf } from '../../engine/read-text.ts';
import { saveFile } from '../../store/projects.ts';
import { NumberField, percent, Sheet } from '../../frame/parts.tsx';
import { useEdit, useProject, useProjectStore } from '../../store/use-project.tsx';
import { asphericalMark, type RoundDone } from './aspherical-run.ts';
import { AsphericalGain, partWords } from './AsphericalGain.tsx';
import { useExperiment } from './use-experiment.ts';
import { isLearned, learnSpeed, roughTime, waveSpeed } from './wave-speed.ts';

/** Rounds that are usual, and at most. */
const USUAL_ROUNDS = 4,
  MOST_ROUNDS = 12;

/** Charge and spin of each molecule as a person said them, by the molecule's number. */
type Said = Readonly<Record<number, { readonly charge?: number; readonly spin?: number }>>;

export function AsphericalSheet(): ReactNode {
  const input = useExperiment();
  const { head } = useProject('head');
  if (!input) return null;
  const used = head!.treatment?.aspherical,
    hasHydrogens = input.structure.sites.some((x) => isHydrogen(x.element));
  return (
    <Sheet
      title="Aspherical atoms"
      fold
      shut={!used}
      state={
        used
          ? `In use: ${used.method}, ${used.basis}; ${used.neighbours}.`
          : hasHydrogens
            ? 'Form factors from a wavefunction of each molecule: hydrogens come to where neutrons see them, and bonds leave the residual density.'
            : 'Form factors from a wavefunction of each molecule. This model has no hydrogens: where it should have some, place them first, since a wavefunction needs every atom.'
      }
    >
      <Body input={input} />
    </Sheet>
  );
}

/** Choices outlive the marks that a run makes. */
let lastLevel: LevelName = 'quick';
/** Undefined is what the level takes. */
let lastAround: Neighbourhood | undefined;
const DIVISION_NAMES: Readonly<Record<Division, string>> = {
  stockholder: 'divided by free atoms',
  iterated: 'divided again until they agree',
};
let lastDivision: Division = 'stockholder';
let lastWhole = false;
let lastHydrogens: HydrogenFreedom = 'free';
let lastRounds: readonly RoundDone[] = [];

function Body({ input }: { input: Experiment }): ReactNode {
  const store = useProjectStore();
  const { head, work, place } = useProject('head', 'work', 'place');
  const [level, setLevel] = useState(lastLevel);
  const [around, setAround] = useState(lastAround);
  const [division, setDivision] = useState(lastDivision);
  const [whole, setWhole] = useState(lastWhole);
  const [hydrogens, setHydrogens] = useState(lastHydrogens);
  const [said, setSaid] = useState<Said>({});
  const [rounds, setRounds] = useState(lastRounds);
  const running = work?.title === 'Aspherical atoms';
  const { basis, method } = LEVELS[level];
  const neighbours = around ?? LEVELS[level].neighbours;
  const forecast = useQuery({
    queryKey: ['wave forecast', head!.id, level, neighbours, whole],
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: () =>
      run('wave forecast', {
        structure: input.structure,
        choices: { basis, method, neighbours, whole },
        reflections: input.reflections.count,
      }).result,
  });
  const found = forecast.data;
  const start = async (): Promise<void> => {
    lastRounds = [];
    setRounds([]);
    const choices: AsphericalChoices = {
      basis,
      method,
      neighbours,
      ...(division === 'iterated' ? { division } : {}),
      whole,
      hydrogens,
      rounds: MOST_ROUNDS,
      ...(found
        ? {
            charges: found.molecules.map((m, i) => said[i]?.charge ?? m.charge),
            spins: found.molecules.map((m, i) => spinOf(m, said[i])),
          }
        : {}),
    };
    await asphericalMark(store, {
      input,
      choices,
      place,
      onRound: (done) => {
        if (done.round > 0 && found) learnSpeed(place, found.work, done.seconds);
        lastRounds = [...lastRounds, done];
        setRounds(lastRounds);
      },
    });
  };
  return (
    <>
      <Levels
        level={level}
        choose={(l) => {
          lastLevel = l;
          setLevel(l);
        }}
        around={around}
        surround={(n) => {
          lastAround = n;
          setAround(n);
        }}
        division={division}
        divide={(d) => {
          lastDivision = d;
          setDivision(d);
        }}
      />
      <div className="field">
        <label htmlFor="aspherical-hydrogens">Hydrogens</label>
        <select
          id="aspherical-hydrogens"
          className="form-select form-select-sm"
          value={hydrogens}
          onChange={(e) => {
            lastHydrogens = e.target.value as HydrogenFreedom;
            setHydrogens(lastHydrogens);
          }}
        >
          <option value="free">free, one displacement each</option>
          <option value="anisotropic">free, with ellipsoids</option>
        </select>
      </div>
      {found && (whole || found.molecules.some((m) => m.part)) && (
        <label className="wave-whole">
          <input
            type="checkbox"
            checked={!whole}
            onChange={(e) => {
              lastWhole = !e.target.checked;
              setWhole(lastWhole);
              // The rows are others now.
              setSaid({});
            }}
          />
          Molecules of more than {WHOLE} atoms in parts: each with the atoms within three bonds, cut bonds ended by
          hydrogens
        </label>
      )}
      {found && <Molecules found={found} said={said} setSaid={setSaid} />}
      <p className="soft mb-2" role={forecast.error ? 'alert' : undefined}>
        {forecast.error?.message ??
          (found ? forecastWords(found, waveSpeed(place), isLearned(place)) : 'Looking at the molecules…')}
      </p>
      <div className="d-flex gap-2 align-items-center flex-wrap">
        {running ? (
          <Button variant="outline-danger" onClick={() => work?.cancel()}>
            Stop
          </Button>
        ) : (
          <Button
            variant={head!.treatment?.aspherical ? 'outline-primary' : 'primary'}
            disabled={!!work || !!forecast.error}
            onClick={() => void start()}
          >
            {head!.treatment?.aspherical ? 'Go on' : 'Refine with aspherical atoms'}
          </Button>
        )}
        {!running && <FactorFiles />}
        {head!.treatment?.aspherical && !running && <BackToSpheres treatment={head!.treatment} />}
      </div>
      {rounds.length > 0 && <Rounds rounds={rounds} />}
      {head!.treatment?.aspherical && <AsphericalGain aspherical={head!.treatment.aspherical} />}
    </>
  );
}

/** The spin as it was said; of another charge that does not allow it the lowest that it does. */
function spinOf(m: MoleculeForecast, said: Said[number] | undefined): number {
  const electrons = m.electrons + m.charge - (said?.charge ?? m.charge);
  const spin = said?.spin ?? m.multiplicity;
  return (electrons - spin + 1) % 2 === 0 ? spin : 1 + (Math.abs(electrons) % 2);
}

function forecastWords(f: Forecast, speed: number, learned: boolean): string {
  const round = f.work / speed;
  const each = roughTime(round);
  return `${each[0]!.toUpperCase()}${each.slice(1)} a round${learned ? '' : ' (this machine was not timed yet)'}, ${roughTime(USUAL_ROUNDS * round)} for the usual ${USUAL_ROUNDS} rounds; ${f.megabytes < 100 ? 'less than 100' : Math.round(f.megabytes / 50) * 50} MB of memory.`;
}

interface LevelsProps {
  readonly level: LevelName;
  choose(l: LevelName): void;
  readonly around: Neighbourhood | undefined;
  surround(n: Neighbourhood | undefined): void;
  readonly division: Division;
  divide(d: Division): void;
}

function Levels({ level, choose, around, surround, division, divide }: LevelsProps): ReactNode {
  const { basis, method, neighbours, says } = LEVELS[level];
  return (
    <fieldset className="levels">
      <legend>How good</legend>
      <div className="level-names">
        {LEVEL_NAMES.map((name) => (
          <label key={name} className={name === level ? 'chosen' : undefined}>
            <input type="radio" name="wave-level" checked={name === level} onChange={() => choose(name)} />
            {LEVELS[name].title}
          </label>
        ))}
      </div>
      <p className="mb-1">{says}</p>
      <details>
        <summary>What is behind it</summary>
        <p className="soft mb-1">
          {METHOD_WORDS[method]}; {BASIS_WORDS[basis]}. Elements that a published basis does not hold here have the
          double-zeta one.
        </p>
        <div className="field">
          <label htmlFor="wave-around">Each molecule</label>
          <select
            id="wave-around"
            className="form-select form-select-sm"
            value={around ?? ''}
            onChange={(e) => surround((e.target.value || undefined) as Neighbourhood | undefined)}
          >
            <option value="">as the level has it: {NEIGHBOUR_WORDS[neighbours]}</option>
            {NEIGHBOURHOODS.map((n) => (
              <option key={n} value={n}>
                {NEIGHBOUR_WORDS[n]}
              </option>
            ))}
          </select>
        </div>
        <div className="field">
          <label htmlFor="wave-division">Its atoms</label>
          <select
            id="wave-division"
            title={DIVISION_WORDS[division]}
            className="form-select form-select-sm"
            value={division}
            onChange={(e) => divide(e.target.value as Division)}
          >
            {DIVISIONS.map((d) => (
              <option key={d} value={d}>
                {DIVISION_NAMES[d]}
              </option>
            ))}
          </select>
        </div>
      </details>
    </fieldset>
  );
}

function Molecules({ found, said, setSaid }: { found: Forecast; said: Said; setSaid(s: Said): void }): ReactNode {
  const missing = [...new Set(found.molecules.flatMap((m) => m.missing))];
  if (missing.length)
    return (
      <p className="off mb-1" role="alert">
        There are no functions for {missing.join(', ')}: elements up to krypton can be taken.
      </p>
    );
  return (
    <table className="wave-molecules">
      <thead>
        <tr>
          <th>molecule</th>
          <th className="n">atoms</th>
          <th className="n">functions</th>
          <th className="n">charge</th>
          <th className="n">2S + 1</th>
        </tr>
      </thead>
      <tbody>
        {found.molecules.map((m, i) => {
          const change = (more: Said[number]): void => setSaid({ ...said, [i]: { ...said[i], ...more } });
          const name = `${m.labels[0]}${m.labels.length > 1 ? ` … ${m.labels.at(-1)}` : ''}`;
          return (
            <tr key={i}>
              <td>
                {name}
                <span className="soft">{partWords(m)}</span>
              </td>
              <td className="n">{m.atoms}</td>
              <td className="n">{m.functions}</td>
              <td className="n">
                <NumberField
                  id={`wave-charge-${i}`}
                  label={`Charge of the molecule of ${m.labels[0]}`}
                  value={said[i]?.charge ?? m.charge}
                  digits={0}
                  step={1}
                  min={-20}
                  max={20}
                  onChange={(charge) => change({ charge: Math.round(charge) })}
                />
              </td>
              <td className="n">
                <NumberField
                  id={`wave-spin-${i}`}
                  label={`Spin multiplicity of the molecule of ${m.labels[0]}`}
                  value={spinOf(m, said[i])}
                  digits={0}
                  step={2}
                  min={1}
                  max={30}
                  onChange={(spin) => change({ spin: Math.round(spin) })}
                />
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Rounds({ rounds }: { rounds: readonly RoundDone[] }): ReactNode {
  return (
    <table>
      <thead>
        <tr>
          <th>round</th>
          <th className="n">R1</th>
          <th className="n">wR2</th>
          <th className="n">peak, e Å⁻³</th>
          <th className="n">s</th>
        </tr>
      </thead>
      <tbody>
        {rounds.map(({ round, stage, seconds }) => (
          <tr key={round}>
            <td>{round ? round : 'spherical'}</td>
            <td className="n">{percent(stage.readings.r1)}</td>
            <td className="n">{percent(stage.readings.wr2)}</td>
            <td className="n">{(stage.map.peaks[0]?.height ?? 0).toFixed(2)}</td>
            <td className="n">{seconds.toFixed(0)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Form factors out to a text file and in from one. */
function FactorFiles(): ReactNode {
  const { head, project, setProblem } = useProject('head', 'project', 'setProblem');
  const edit = useEdit();
  const picker = useRef<HTMLInputElement>(null);
  const s = head!.structure!,
    treatment = head!.treatment ?? {},
    held = treatment.aspherical;
  const labels = new Map(s.sites.map((x) => [x.id, x.label]));
  const save = (): void => {
    const text = formFactorText(
      held!,
      held!.factors.sites.map((id) => labels.get(id) ?? id),
    );
    saveFile(text, `${project.name.replace(/\s+/g, '-').toLowerCase()}-form-factors.txt`, 'text/plain');
  };
  const read = async (file: File): Promise<void> => {
    try {
      const found = readFormFactors(await textOf(file), (label) => s.sites.find((x) => x.label === label)?.id);
      const spherical = held?.spherical ?? {
        r1: head!.r1 ?? 0,
        wr2: head!.wr2 ?? 0,
        peak: head!.residual?.peak ?? 0,
        hole: head!.residual?.hole ?? 0,
        lengths: hydrogenLengths(s),
      };
      await edit(s, `form factors of ${file.name}`, {
        ...treatment,
        aspherical: { ...found, molecules: held?.molecules ?? [], spherical },
      });
    } catch (e) {
      setProblem(`${file.name}: ${(e as Error).message}`);
    }
  };
  return (
    <>
      {held && (
        <button className="word" onClick={save} title="A text file with a row for every reflection">
          Save form factors
        </button>
      )}
      <button className="word" onClick={() => picker.current?.click()} title="From a text file as Nagare writes it">
        Read form factors…
      </button>
      <input
        ref={picker}
        type="file"
        hidden
        aria-label="File of form factors"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = '';
          if (file) void read(file);
        }}
      />
    </>
  );
}

function BackToSpheres({ treatment }: { treatment: Treatment }): ReactNode {
  const { head } = useProject('head');
  const edit = useEdit();
  const { aspherical: _, ...plain } = treatment;
  return (
    <button className="word" onClick={() => void edit(head!.structure!, 'spherical atoms again', plain)}>
      Spherical atoms again
    </button>
  );
}
