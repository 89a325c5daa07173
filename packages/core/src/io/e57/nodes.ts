import { SaxesParser } from 'saxes';
import { GeometryError } from '../../runtime/geometry-error.js';

const LARGEST_XML = 64 * 1024 * 1024;

/** A node of the file's tree: its attributes, its text, and its children in their order. */
export interface E57Node {
  name: string;
  attributes: Readonly<Record<string, string>>;
  text: string;
  children: readonly E57Node[];
}

/** Levels of nodes inside nodes; the standard's own tree has seven. */
const DEEPEST = 64;

/**
 * Parses the XML section of an E57 file.
 * @throws GeometryError `corrupt-file`, `too-large`
 */
export function parseE57Xml(bytes: Uint8Array): E57Node {
  if (bytes.length > LARGEST_XML)
    throw new GeometryError(
      'too-large',
      `The description inside the file has ${bytes.length} bytes; that is too much.`,
    );
  const refuse = (why: string): never => {
    throw new GeometryError('corrupt-file', `The description inside the E57 file ${why}.`);
  };
  const parser = new SaxesParser();
  const open: OpenNode[] = [];
  let root: E57Node | undefined;
  parser.on('error', (error) => refuse(`can't be read: ${error.message.slice(0, 200)}`));
  // The format needs no document type, and those are where entities that blow up come from.
  parser.on('doctype', () => refuse('declares a document type'));
  parser.on('opentag', ({ name, attributes }) => {
    if (open.length >= DEEPEST) refuse(`nests more than ${DEEPEST} levels`);
    const node: OpenNode = { name, attributes: attributes as Record<string, string>, text: '', children: [] };
    open.at(-1)?.children.push(node);
    root ??= node;
    open.push(node);
  });
  const addText = (text: string): void => {
    const node = open.at(-1);
    if (node) node.text += text;
  };
  parser.on('text', addText);
  parser.on('cdata', addText);
  parser.on('closetag', () => void open.pop());
  parser.write(new TextDecoder().decode(bytes)).close();
  return root?.name === 'e57Root' ? root : refuse('has no e57Root');
}

interface OpenNode extends E57Node {
  text: string;
  children: OpenNode[];
}

export function child(node: E57Node | undefined, name: string): E57Node | undefined {
  return node?.children.find((c) => c.name === name);
}

/** Value of a child that is a number; `usual` if it is absent. Absent text counts 0, as the standard has it. */
export function numberOf(node: E57Node | undefined, name: string, usual: number): number {
  const found = child(node, name);
  if (!found) return usual;
  const v = found.text.trim() === '' ? 0 : Number(found.text);
  if (!Number.isFinite(v)) throw new GeometryError('corrupt-file', `"${name}" holds "${found.text}", no number.`);
  return v;
}
