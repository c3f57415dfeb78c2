// The kinds of deeds on record, as src/texelweb/record/kinds.py has them. Written by tools/client.

export const DEEDS = [
  {
    "key": "arrival",
    "group": "arrivals and files",
    "page": "arrivals"
  },
  {
    "key": "file",
    "group": "arrivals and files",
    "page": "maps"
  },
  {
    "key": "answers",
    "group": "answers",
    "page": "arrivals"
  },
  {
    "key": "set",
    "group": "sets and models",
    "page": ""
  },
  {
    "key": "folder",
    "group": "sets and models",
    "page": "board"
  },
  {
    "key": "note",
    "group": "sets and models",
    "page": ""
  },
  {
    "key": "model",
    "group": "sets and models",
    "page": "models"
  },
  {
    "key": "renames",
    "group": "renames",
    "page": "renames"
  },
  {
    "key": "rules",
    "group": "rules and tolerances",
    "page": "rules"
  },
  {
    "key": "tolerances",
    "group": "rules and tolerances",
    "page": "tolerances"
  },
  {
    "key": "build",
    "group": "builds and proofs",
    "page": ""
  },
  {
    "key": "proof",
    "group": "builds and proofs",
    "page": ""
  },
  {
    "key": "target",
    "group": "targets",
    "page": "targets"
  },
  {
    "key": "studio target",
    "group": "targets",
    "page": "targets"
  },
  {
    "key": "variant",
    "group": "variants and masters",
    "page": ""
  },
  {
    "key": "master",
    "group": "variants and masters",
    "page": ""
  },
  {
    "key": "studio master",
    "group": "variants and masters",
    "page": "masters"
  },
  {
    "key": "block",
    "group": "variants and masters",
    "page": "masters"
  },
  {
    "key": "delivery",
    "group": "deliveries",
    "page": "deliveries"
  },
  {
    "key": "download",
    "group": "deliveries",
    "page": "deliveries"
  },
  {
    "key": "people",
    "group": "people and projects",
    "page": "project"
  },
  {
    "key": "project",
    "group": "people and projects",
    "page": "project"
  }
] as const;
