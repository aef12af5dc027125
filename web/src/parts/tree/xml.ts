/** One row of an XML answer: an element or an attribute, with its exact place as an XPath. */
export interface XmlRow {
  node: Element | Attr;
  path: string;
  name: string;
  /** Text of a leaf or an attribute; undefined for an element that holds others. */
  value: string | undefined;
  depth: number;
  parent: number;
  children: number;
}

export const MOST_ROWS = 4000;

/** Prefixes and the namespaces that they stand for. */
export type Namespaces = { prefix: string; uri: string }[];

/** A prefix for each namespace: the step's own first, then those that the document declares, first come first; `_` for the
 * default namespace of its root. */
function prefixesOf(root: Element, own: Namespaces): Map<string, string> {
  const found = new Map(own.map(({ prefix, uri }) => [uri, prefix]));
  for (const element of [root, ...root.querySelectorAll("*")]) {
    for (const attribute of element.attributes) {
      const prefix = attribute.name === "xmlns" ? (element === root ? "_" : undefined) : declared(attribute);
      if (!prefix || found.has(attribute.value) || [...found.values()].includes(prefix)) continue;
      found.set(attribute.value, prefix);
    }
  }
  return found;
}

const declared = (attribute: Attr): string | undefined =>
  attribute.name.startsWith("xmlns:") ? attribute.name.slice(6) : undefined;

function named(node: Element | Attr, prefixes: Map<string, string>): string {
  if (!node.namespaceURI) return node.localName;
  const prefix = prefixes.get(node.namespaceURI);
  return prefix ? `${prefix}:${node.localName}` : `*[local-name()='${node.localName}']`;
}

export interface XmlAnswer {
  rows: XmlRow[];
  /** What a SOAP fault says, if the answer is one. */
  fault: string;
  find: (path: string) => Set<Node>;
}

/** An answer's text as rows, their paths with the step's own prefixes where it has some; undefined if it is not XML, or too long
 * to be drawn. */
export function readXml(text: string, own: Namespaces): XmlAnswer | undefined {
  const document = new DOMParser().parseFromString(text, "application/xml");
  const root = document.documentElement;
  if (!root || document.querySelector("parsererror")) return undefined;
  const prefixes = prefixesOf(root, own);
  const rows: XmlRow[] = [];
  const add = (element: Element, above: string, depth: number, parent: number) => {
    if (rows.length > MOST_ROWS) return;
    const alike = [...(element.parentElement?.children ?? [])].filter(
      (item) => item.localName === element.localName && item.namespaceURI === element.namespaceURI,
    );
    const number = alike.length > 1 ? `[${alike.indexOf(element) + 1}]` : "";
    const path = `${above}/${named(element, prefixes)}${number}`;
    const own = [...element.attributes].filter((item) => !item.name.startsWith("xmlns"));
    const value = element.children.length ? undefined : (element.textContent ?? "");
    const at = rows.length;
    const name = element.nodeName;
    rows.push({
      node: element,
      path,
      name,
      value,
      depth,
      parent,
      children: own.length + element.children.length,
    });
    for (const item of own) {
      const place = `${path}/@${named(item, prefixes)}`;
      rows.push({
        node: item,
        path: place,
        name: `@${item.name}`,
        value: item.value,
        depth: depth + 1,
        parent: at,
        children: 0,
      });
    }
    for (const child of element.children) add(child, path, depth + 1, at);
  };
  add(root, "", 1, -1);
  if (rows.length > MOST_ROWS) return undefined;
  const spaces = new Map([...prefixes].map(([uri, prefix]) => [prefix, uri]));
  return { rows, fault: faultOf(root), find: (path) => found(document, path, spaces) };
}

function found(document: Document, path: string, spaces: Map<string, string>): Set<Node> {
  const nodes = new Set<Node>();
  try {
    const resolve = (prefix: string | null) => spaces.get(prefix ?? "") ?? null;
    const result = document.evaluate(path, document, resolve, XPathResult.ORDERED_NODE_SNAPSHOT_TYPE);
    for (let at = 0; at < result.snapshotLength; at++) nodes.add(result.snapshotItem(at) as Node);
  } catch {
    // a function's value, or a prefix that nobody declares: it stands for no row
  }
  return nodes;
}

function faultOf(root: Element): string {
  const fault = [...root.querySelectorAll("*")].find(
    (item) => item.localName === "Fault" && /soap/i.test(item.namespaceURI ?? ""),
  );
  if (!fault) return "";
  const text = (name: string) =>
    [...fault.querySelectorAll("*")].find((item) => item.localName === name)?.textContent?.trim() ?? "";
  const [code, reason] = [text("faultcode") || text("Value"), text("faultstring") || text("Text")];
  return [code, reason].filter(Boolean).join(": ");
}
