/** All projects, a place to drop files, and the demo sets. */
import { prettySymbol } from '@nagare/core/crystal/settings';
import './home.scss';
import { useLiveQuery } from 'dexie-react-hooks';
import { useState, type ReactNode } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { Link } from 'react-router';
import { db, type Project } from '../store/db.ts';
import { deleteProject } from '../store/projects.ts';
import { SpaceLine } from './Space.tsx';
import { takeStoredHome } from './take-home.ts';
import { FromSymmetry } from '../stations/build/FromSymmetry.tsx';
import { useDrop } from './DropEverywhere.tsx';
import { firstStation, type ProjectNeeds } from './stations.ts';
import { usePortrait } from './use-portrait.ts';

const DEMOS = [
  { file: 'aobae', name: 'Aobae', text: 'Pale blue plate, Mo Kα, a hydrogen-bond network with a water' },
  { file: 'tsuyukusa-7', name: 'Tsuyukusa-7', text: 'Deep blue needle, Cu Kα, a chiral lactone' },
  { file: 'benigara-2', name: 'Benigara-2', text: 'Brick-red block, Mo Kα, two molecules with bromine' },
  { file: 'kasumi', name: 'Kasumi', text: 'Colourless prism, Mo Kα, a rigid molecule lying two ways' },
  {
    file: 'fujinezumi-4',
    name: 'Fujinezumi-4',
    text: 'Grey-violet plate, Mo Kα, a ring and an anion in two places, methanol',
  },
  { file: 'mizuasagi', name: 'Mizuasagi', text: 'Pale turquoise needle, Cu Kα, a hydrate with many hydroxyls' },
  { file: 'rokusho-9', name: 'Rokusho-9', text: 'Verdigris plate, Mo Kα, a copper salt with ammonium ends' },
  { file: 'asagi-8', name: 'Asagi-8', text: 'Pale yellow block: a model in I2/a, to be re-set' },
  { file: 'hanada-3', name: 'Hanada-3', text: 'Light indigo plate: solved in Pna2₁; is that all?' },
  { file: 'kihada-2', name: 'Kihada-2', text: 'Orange needle: four molecules in P1' },
  { file: 'suou-5', name: 'Suou-5', text: 'Colourless prism: a model with something wrong, for Vet' },
  { file: 'enju-6', name: 'Enju-6', text: 'Leaf-green plate: strong absorption, six runs, one of them bad' },
  { file: 'futago-1', name: 'Futago-1', text: 'Amber bipyramid, Mo Kα, a merohedral twin' },
  { file: 'usuzumi-2', name: 'Usuzumi-2', text: 'Colourless block to 0.65 Å: a small amide for aspherical atoms' },
  { file: 'sabishiro-2', name: 'Sabishiro-2', text: 'Colourless block to 0.65 Å: a zinc complex for aspherical atoms' },
  { file: 'shiratsuyu-1', name: 'Shiratsuyu-1', text: 'Colourless prism to 0.65 Å: a hydrate for aspherical atoms' },
];

const SERIES = Array.from({ length: 12 }, (_, i) => `titania-${String(i + 1).padStart(2, '0')}.xy`);
const POWDERS = [
  {
    files: ['frit-12.xy', 'kiln-diffractometer.json'],
    name: 'Frit 12',
    text: 'Two phases weighed in at 58 : 42, one with a stretched cell',
  },
  {
    files: ['frit-31.xye', 'kiln-diffractometer.json'],
    name: 'Frit 31',
    text: 'Four phases, one in plates, one of two per cent',
  },
  {
    files: ['bengara-nano.xy', 'kiln-diffractometer.json'],
    name: 'Bengara, fine',
    text: 'A red pigment of very small crystals',
  },
  {
    files: ['hatsuyuki.cif', 'kiln-diffractometer.json'],
    name: 'Hatsuyuki',
    text: 'A white unknown, to be indexed and solved',
  },
  { files: ['standard.xy'], name: 'Silicon standard', text: 'To calibrate the diffractometer of the kiln' },
  {
    files: [...SERIES, 'kiln-diffractometer.json'],
    name: 'Titania, heated',
    text: 'Twelve patterns from 300 to 850 K',
  },
];

/** Structures without data of their own. */
const STRUCTURES = [
  { file: 'nibiiro.cif', name: 'Nibiiro', text: 'Grey mixed oxide: two kinds of octahedra, are the radii to blame?' },
  { file: 'kirara-3.cif', name: 'Kirara-3', text: 'Glaze mineral in sheets, to be taken apart layer by layer' },
  { file: 'temari.cif', name: 'Temari', text: 'Violet cage of sixty atoms: every ring, every pair of planes' },
  {
    file: 'ukonzome-1.cif',
    name: 'Ukonzome-1',
    text: 'Yellow dye with six kinds of givers and takers: does the crystal grant its wishes?',
  },
  { file: 'ukonzome-2.cif', name: 'Ukonzome-2', text: 'Its orange form, which grants fewer of them' },
  { file: 'kurumi-5.cif', name: 'Kurumi-5', text: 'Brown bromide: what does its bromine reach for?' },
  { file: 'tsurubami-4.cif', name: 'Tsurubami-4', text: 'A hydrate whose hydrogens nobody located' },
  { file: 'kuwazome.cif', name: 'Kuwazome', text: 'Yellow-brown tungstate: an oblique cell to cut a surface from' },
  { file: 'zakuro-2.cif', name: 'Zakuro-2', text: 'Red garnet: aluminium and iron share a site, to be put in order' },
  { file: 'zakuro-1.cif', name: 'Zakuro-1', text: 'The garnet with aluminium alone, one end of the series' },
  { file: 'zakuro-3.cif', name: 'Zakuro-3', text: 'The garnet with iron alone, its other end' },
  { file: 'hiwada.cif', name: 'Hiwada', text: 'Brown framework of zinc clusters and linkers: what fits into it?' },
  {
    file: 'shironezumi.cif',
    name: 'Shironezumi',
    text: 'White cages in a group with two origins: what passes through?',
  },
  { file: 'asagiri.cif', name: 'Asagiri', text: 'Pink hydroxide in sheets: one of them with nothing above' },
  {
    file: 'hachisu.figure.json',
    name: 'Tunnels of Hachisu',
    text: 'A finished figure of that oxide, to be changed at will',
  },
  {
    file: 'hachisu.cif',
    name: 'Hachisu',
    text: 'Blue-black oxide with three kinds of tunnels and guests in one: a figure to make',
  },
  { file: 'ishibai.cif', name: 'Ishibai', text: 'Lime, two ions: one face is neutral, another is polar' },
];

export function Home(): ReactNode {
  const projects = useLiveQuery(() => db.projects.orderBy('updated').reverse().toArray());
  const { pick } = useDrop();
  const [typing, setTyping] = useState(false);
  return (
    <div className="home">
      <main>
        <h1 className="d-flex align-items-center gap-3">
          <img src="/mark.svg" width="44" alt="" />
          Nagare
        </h1>
        <p className="soft fs-6">
          From measured reflections or powder patterns to a refined structure and its record, in one flow.
        </p>
        <div className="drop-here">
          <p className="mb-2 fs-6">
            Drop a CIF, an XYZ file, a reflection list, powder patterns or a project file anywhere on this page, or
            paste its text.
          </p>
          <Button onClick={pick}>Choose files</Button>{' '}
          <button className="word" onClick={() => setTyping(true)}>
            Build a crystal from its symmetry
          </button>
        </div>
        {projects && <Projects list={projects} />}
        {projects && <Samples open={projects.length === 0} />}
        {typing && <FromSymmetry onEnd={() => setTyping(false)} />}
      </main>
    </div>
  );
}

/** One's own projects, the latest first. */
function Projects({ list }: { list: readonly Project[] }): ReactNode {
  const needs = useLiveQuery(needsOfAll) ?? new Map<string, ProjectNeeds>();
  const [doomed, setDoomed] = useState<Project | undefined>();
  return (
    <section aria-label="Projects">
      <h2 className="fs-6">Projects</h2>
      {list.length === 0 && (
        <p className="soft">
          None yet. A dropped file or a sample becomes the first one; everything stays in this browser.
        </p>
      )}
      <ul className="projects">
        {list.map((p) => (
          <ProjectRow key={p.id} project={p} needs={needs.get(p.id) ?? NO_NEEDS} onDelete={() => setDoomed(p)} />
        ))}
      </ul>
      {list.length > 0 && <SpaceLine key={list.length} />}
      {doomed && <DeleteQuestion project={doomed} onEnd={() => setDoomed(undefined)} />}
    </section>
  );
}

const NO_NEEDS: ProjectNeeds = { patterns: false, reflections: false, structure: false };

/** What each project holds. */
async function needsOfAll(): Promise<Map<string, ProjectNeeds>> {
  const [projects, powders, data] = await Promise.all([
    db.projects.toArray(),
    db.powder.toCollection().primaryKeys(),
    db.data.toCollection().primaryKeys(),
  ]);
  return new Map(
    projects.map((p) => [
      p.id,
      { patterns: powders.includes(p.id), reflections: data.includes(p.id), structure: p.head !== undefined },
    ]),
  );
}

const kindOf = (p: Project, needs: ProjectNeeds): string => {
  if (needs.patterns) return 'powder';
  return `${p.group ? prettySymbol(p.group.symbol) : 'symmetry not decided'}${needs.structure && !needs.reflections ? ', structure alone' : ''}`;
};

function ProjectRow({
  project: p,
  needs,
  onDelete,
}: {
  project: Project;
  needs: ProjectNeeds;
  onDelete(): void;
}): ReactNode {
  const picture = usePortrait(p);
  const [leaving, setLeaving] = useState(false);
  const [problem, setProblem] = useState('');
  const to = `/projects/${p.id}/${firstStation(needs)}`;
  return (
    <li>
      <Link to={to} className="portrait" tabIndex={-1} aria-hidden="true">
        {picture ? (
          <img src={`data:image/svg+xml;utf8,${encodeURIComponent(picture)}`} alt="" />
        ) : (
          <img className="none" src="/mark.svg" alt="" />
        )}
      </Link>
      <div className="about">
        <Link className="name" to={to}>
          {p.name}
        </Link>
        <span className="soft">{kindOf(p, needs)}</span>
        <span className="soft">{new Date(p.updated).toLocaleString()}</span>
      </div>
      <div className="acts">
        <button
          className="word"
          disabled={leaving}
          onClick={() => {
            setLeaving(true);
            setProblem('');
            void takeStoredHome(p.id, p.name)
              .catch((e: Error) => setProblem(e.message))
              .finally(() => setLeaving(false));
          }}
        >
          {leaving ? 'Exporting …' : 'Export'}
        </button>
        <button className="word off" onClick={onDelete}>
          Delete
        </button>
        {problem && (
          <span className="off" role="alert">
            {problem}
          </span>
        )}
      </div>
    </li>
  );
}

function DeleteQuestion({ project, onEnd }: { project: Project; onEnd(): void }): ReactNode {
  return (
    <Modal show centered animation={false} onHide={onEnd}>
      <Modal.Body>
        Delete “{project.name}” with its data and its whole course from this browser? This cannot be undone; export it
        first to keep a copy.
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={onEnd}>
          Keep it
        </Button>
        <Button
          variant="danger"
          onClick={() => {
            void deleteProject(project.id);
            onEnd();
          }}
        >
          Delete
        </Button>
      </Modal.Footer>
    </Modal>
  );
}

interface Sample {
  readonly name: string;
  readonly text: string;
  readonly files: readonly string[];
}

/** The made-up sets, grouped by what they teach; open where there is nothing else yet. */
function Samples({ open }: { open: boolean }): ReactNode {
  const groups: readonly (readonly [string, readonly Sample[]])[] = [
    ['Single crystals: solve, refine, vet', DEMOS.map((d) => ({ ...d, files: [`${d.file}.cif`] }))],
    ['Powders: identify, fit, follow', POWDERS],
    ['Structures: look and measure', STRUCTURES.map((d) => ({ ...d, files: [d.file] }))],
  ];
  return (
    <details className="samples" open={open}>
      <summary>Samples from the Kurobane Kiln archive (made up)</summary>
      {groups.map(
        ([title, list]) =>
          list.length > 0 && (
            <section key={title} aria-label={title}>
              <h2 className="fs-6">{title}</h2>
              <SampleButtons list={list} />
            </section>
          ),
      )}
    </details>
  );
}

function SampleButtons({ list }: { list: readonly Sample[] }): ReactNode {
  const { takeSamples } = useDrop();
  return (
    <div className="demos">
      {list.map((d) => (
        <button key={d.name} onClick={() => void takeSamples(d.files)}>
          <b>{d.name}</b>
          <span className="soft">{d.text}</span>
        </button>
      ))}
    </div>
  );
}
