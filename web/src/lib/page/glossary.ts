// Our own words, and those of the trade that we use in one sense alone: said in a sentence, on hover and in the list under “?”.
import type { Directive } from 'vue';

export const GLOSSARY: Record<string, string> = {
  set: 'The maps of one surface: base colour, normal, roughness and the rest.',
  'no surface':
    'A set of masks and details that masters read beside a surface: a target asks of it only for what it has.',
  ledger:
    'A set’s table: for each surface property which file it comes from, what is done to it, and which output it goes to.',
  board: 'A project’s home: every set against every stage of the work.',
  well: 'The neutral grey field in which a picture is judged.',
  target:
    'The conventions of one engine: which textures it wants, how channels are packed, which way normals point, which formats.',
  output: 'One texture that a target asks for.',
  proof: 'An output encoded into its block format for real, decoded again, and compared with what went in.',
  ending: 'The last part of a file’s name, which says what kind of map it is.',
  habit: 'What the house has decided about an ending or a convention, so that it is not asked again.',
  finding: 'One thing that a check saw, with its evidence and the way to mend it.',
  master:
    'A material with parameters, shared by all projects; it computes a surface from textures and values.',
  layer: 'A named slot of a master that takes a set, with all of its maps at once.',
  strand: 'One named step of a master’s sheet.',
  block: 'A group of rows that is used as one row, with inputs and outputs; masters share it.',
  variant: 'A set dressed with one version of a master, with values of its own.',
  override: 'A value of a variant that differs from its master’s default.',
  delivery: 'What was written out for an engine, with a list of every file and how it is to be read.',
  receipt: 'What the receiving side answered about a delivery: whether it read every file as it was meant.',
  depot: 'The library of scanned materials that sets can be fetched from.',
  dock: 'The stand-in for an engine’s importer, which reads a delivery and writes the receipt.',
  stage:
    'Where a surface stands in light: on a shape or a model, in an environment, alone or beside another.',
  step: 'One thing that somebody changed, which can be taken back.',
};

/** Explain a word where it stands. */
export const vTerm: Directive<HTMLElement, string> = {
  mounted(element, { value }) {
    element.title = GLOSSARY[value] ?? '';
  },
};
