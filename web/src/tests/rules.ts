// House rules as a page of a test finds them.
export const RULES = {
  format: 'fair-texel-house-rules',
  version: 1,
  title: 'House rules',
  hold: true,
  name: '{set}_{property}',
  folder: '',
  case: 'lower',
  separator: '_',
  prefixes: {},
  words: {},
  letters: {},
  say_direction: true,
  extra: '_-',
  any_script: false,
  longest: 64,
  reserved: [],
  sizes: {
    smallest: 32,
    largest: 4096,
    square: false,
    power_of_two: true,
    set_budget: null,
    project_budget: null,
  },
  masters: { samplers: 16, reads: null, arithmetic: null, versions: null },
  habits: [],
};

/** The house tolerances as the server gives them, with one that was changed. */
export const TOLERANCES = {
  format: 'fair-texel-tolerances',
  version: 1,
  normal_mean: 2,
  normal_p95: 9,
  colour_psnr: 34,
  colour_delta_mean: 2,
  colour_delta_p95: 5,
  data_mean: 2.5,
  data_worst: 64,
};
