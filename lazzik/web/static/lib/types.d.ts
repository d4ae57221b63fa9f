// Facts and edits as the scripts see them. Made by `python -m tools.script_types` from the schemas that
// the server checks them by; a test keeps it so.

export type AimFacts = {
  node: string;
  target: string | null;
  point: [number, number, number];
};

export type AirFacts = {
  key: string;
  field: FieldFacts | null;
};

export type Facts = {
  channel: string;
  also: string[];
  tracks: TrackFacts[];
  unit: string;
  step: number;
  lanes: LaneFacts[];
  revision: number;
  at: string;
  fps: number;
  first: number;
  last: number;
  moving: boolean;
  find: string;
  order: "xyz" | "xzy" | "yxz" | "yzx" | "zxy" | "zyx";
  shape: ShapeFacts | null;
  aim: AimFacts | null;
  air: AirFacts;
  scatters: ScatterFacts[];
  carried: RunFacts[];
  sheaves: SheafFacts[];
  marks: MarkFacts[];
  points_together: number;
};

export type FieldFacts = {
  node: string;
  directed: boolean;
  strongest: string;
  speed: number;
  radii: [string, number][];
  turned: number;
};

export type HandleFacts = {
  name: string;
  label: string;
  at: [number, number, number];
  sets: string[];
  origin: number;
  sign: number;
  length: boolean;
  within: boolean;
};

export type KeyFacts = {
  frame: number;
  value: number;
  slope_in: number | "straight" | null;
  slope_out: number | "straight" | null;
  go: "cubic" | "linear" | "step";
  settled: [number, number];
};

export type LaneFacts = {
  id: string;
  address: string;
  family: string;
  window: WindowFacts;
  sheaf: string;
  chosen: boolean;
  feel: [string, string] | null;
};

export type MarkFacts = {
  id: string;
  label: string;
  frame: number;
  color: "brick" | "ochre" | "moss" | "lake" | "plum" | "ink";
  remark: string;
};

export type PlacedHandles = {
  axis: "x" | "y" | "z";
  of: string | null;
  place: [number, number, number];
  turn: [number, number, number];
  points: HandleFacts[];
};

export type RunFacts = {
  node: string;
  run: string;
  looks: string;
  part: string;
  drawn: string;
  copies: string;
  across: number;
  roughness: number;
  locked: boolean;
};

export type ScatterFacts = {
  node: string;
  laid: string;
  leans: string;
  sources: string[];
};

export type ShapeFacts = {
  node: string;
  deformer: string;
  handles: PlacedHandles | null;
  pushes: boolean;
};

export type SheafFacts = {
  id: string;
  label: string;
  window: WindowFacts;
};

export type TrackFacts = {
  channel: string;
  title: string;
  unit: string;
  step: number;
  keys: KeyFacts[];
  before: "hold" | "straight" | "repeat" | "alternate" | "accumulate";
  after: "hold" | "straight" | "repeat" | "alternate" | "accumulate";
};

export type WindowFacts = {
  start: number | null;
  end: number | null;
  fade_in: number;
  fade_out: number;
};

export type AddDeformer = {
  do: "add-deformer";
  node: string;
  kind: string;
  label?: string | null;
};

export type AddDial = {
  do: "add-dial";
  label: string;
  value?: number | string;
  unit?: "" | "×" | "°" | "m" | "s" | "Hz" | "fr" | "°/s" | "m/s";
  low?: number | string;
  high?: number | string;
};

export type AddEmitter = {
  do: "emit";
  of?: string | null;
  begin?: "point" | "surface" | "inside" | "edges" | null;
  label?: string;
  position?: [number, number, number];
};

export type AddLayer = {
  do: "add-layer";
  address: string;
  kind: string;
  label?: string | null;
  combine?: "add" | "subtract" | "multiply" | "replace" | null;
  settings?: Record<string, string>;
  seed?: number | null;
};

export type AddMark = {
  do: "add-mark";
  frame: number | string;
  label?: string;
  color?: "brick" | "ochre" | "moss" | "lake" | "plum" | "ink";
  remark?: string;
};

export type AddObject = {
  do: "add-object";
  label: string;
  shape?: Box | Ball | Tube | Ring | Basin | Sheet | Lettering | MeshShape | null;
  parent?: string | null;
  light?: Light | null;
  camera?: Camera | null;
  field?: Wind | Eddies | Whirl | Push | null;
  position?: [number | string, number | string, number | string];
};

export type AddPin = {
  do: "pin";
  node: string;
  place: string;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  to?: string | null;
  label?: string | null;
};

export type AddScatter = {
  do: "scatter";
  nodes: string[];
  surface?: string | null;
  over?: "surface" | "row" | "grid" | "ring" | "volume" | null;
  label?: string | null;
};

export type Aim = {
  loop?: number | null;
  fit?: boolean;
  target?: string | null;
  point?: AimPoint;
  axis?: "x" | "-x" | "y" | "-y" | "z" | "-z";
  about?: "all" | "x" | "y" | "z";
  weight?: number | Channel;
  roll?: number | Channel;
  lag?: boolean;
  frequency?: number | Channel;
  damping?: number | Channel;
  muted?: boolean;
};

export type AimAt = {
  do: "aim";
  nodes: string[];
  target?: string | null;
};

export type AimPoint = {
  x?: number | Channel;
  y?: number | Channel;
  z?: number | Channel;
};

export type BakeAgain = {
  do: "bake-again";
  receipt: string;
  channels: BakedAgain[];
};

export type BakedAgain = {
  address: string;
  keys: Key[];
  worst: number;
  between?: number;
  baked: Key[];
};

export type BakedChannel = {
  address: string;
  keys: Key[];
  worst: number;
  between?: number;
};

export type Ball = {
  kind: "ball";
  base?: boolean;
  pivot?: [number, number, number];
  radius?: number | Channel;
  around?: number;
  along?: number;
};

export type BallMask = {
  kind: "ball";
  invert?: boolean;
  along?: number | Channel;
  side?: number | Channel;
  across?: number | Channel;
  radius?: number | Channel;
  rim?: number | Channel;
};

export type Basin = {
  kind: "basin";
  base?: boolean;
  pivot?: [number, number, number];
  radius?: number | Channel;
  upper?: number | Channel;
  height?: number | Channel;
  wall?: number | Channel;
  around?: number;
  along?: number;
};

export type Bend = {
  kind: "bend";
  id: string;
  label: string;
  muted?: boolean;
  weight?: number | Channel;
  axis?: "x" | "y" | "z";
  placement?: Placement;
  start?: number | Channel;
  end?: number | Channel;
  fade?: "none" | "start" | "end" | "both" | "middle";
  fade_length?: number | Channel;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  shift?: number | Channel;
  angle?: number | Channel;
  direction?: number | Channel;
  held?: "start" | "middle" | "end";
};

export type Box = {
  kind: "box";
  base?: boolean;
  pivot?: [number, number, number];
  width?: number | Channel;
  height?: number | Channel;
  depth?: number | Channel;
  cuts_x?: number;
  cuts_y?: number;
  cuts_z?: number;
};

export type Breeze = {
  kind: "breeze";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  gain?: number | Channel;
  frequency?: number | Channel;
  damping?: number | Channel;
  offset?: number | Channel;
  what?: "speed" | "x" | "y" | "z";
  force?: "linear" | "drag";
};

export type BringIn = {
  do: "bring-in";
  label: string;
  nodes: Node[];
  under?: string | null;
  clips?: Clip[];
  size?: number | string;
};

export type BringPicture = {
  do: "bring-picture";
  asset: string;
  label?: string;
  under?: string | null;
};

export type Camera = {
  view?: number | Channel;
};

export type ChangeAim = {
  do: "change-aim";
  node: string;
  settings?: Record<string, string>;
  muted?: boolean | null;
  loop?: number | string | null;
};

export type ChangeCloth = {
  do: "change-cloth";
  node: string;
  settings?: Record<string, string>;
  stuff?: string | null;
  colliders?: string[] | null;
  muted?: boolean | null;
  locked?: string | null;
  loop?: number | string | null;
};

export type ChangeDeformer = {
  do: "change-deformer";
  node: string;
  deformer: string;
  label?: string | null;
  muted?: boolean | null;
  settings?: Record<string, string>;
  of?: string | null;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  mask_invert?: boolean | null;
};

export type ChangeDial = {
  do: "change-dial";
  dial: string;
  label?: string | null;
  unit?: "" | "×" | "°" | "m" | "s" | "Hz" | "fr" | "°/s" | "m/s" | null;
  low?: number | string | null;
  high?: number | string | null;
};

export type ChangeEmitter = {
  do: "change-emitter";
  node: string;
  settings?: Record<string, string>;
  of?: string | null;
  copy_of?: string | null;
  colliders?: string[] | null;
  size_over_life?: [number, number][] | null;
  answer_over_life?: [number, number][] | null;
  color_over_life?: [number, number, number, number, number][] | null;
  locked?: string | null;
  loop?: number | string | null;
};

export type ChangeField = {
  do: "change-field";
  node: string;
  settings?: Record<string, string>;
  muted?: boolean | null;
  loop?: number | string | null;
};

export type ChangeLayer = {
  do: "change-layer";
  address: string;
  label?: string | null;
  muted?: boolean | null;
  solo?: boolean | null;
  combine?: "add" | "subtract" | "multiply" | "replace" | null;
  loop?: number | string | null;
  fit?: boolean | null;
  start?: number | string | null;
  end?: number | string | null;
  fade_in?: number | string | null;
  fade_out?: number | string | null;
  settings?: Record<string, string>;
};

export type ChangeMark = {
  do: "change-mark";
  mark: string;
  frame?: number | string | null;
  label?: string | null;
  color?: "brick" | "ochre" | "moss" | "lake" | "plum" | "ink" | null;
  remark?: string | null;
};

export type ChangeObject = {
  do: "change-object";
  node: string;
  label?: string | null;
  visible?: boolean | null;
  parent?: string | null;
};

export type ChangeObjectRecipe = {
  do: "change-object-recipe";
  recipe: string;
  label?: string | null;
  note?: string | null;
  exposed?: ExposedNumber[] | null;
};

export type ChangePicture = {
  do: "change-picture";
  node: string;
  asset?: null;
  beyond?: "clear" | "last" | "mirror" | "repeat" | null;
};

export type ChangePin = {
  do: "change-pin";
  node: string;
  pin: string;
  place?: string | null;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  to?: string | null;
  label?: string | null;
};

export type ChangeRecipe = {
  do: "change-recipe";
  recipe: string;
  label?: string | null;
  note?: string | null;
};

export type ChangeScatter = {
  do: "change-scatter";
  node: string;
  settings?: Record<string, string>;
  sources?: string[] | null;
  surface?: string | null;
  variants?: number | null;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  loop?: number | string | null;
};

export type ChangeScene = {
  do: "change-scene";
  name?: string | null;
  fps?: number | string | null;
  first?: number | string | null;
  last?: number | string | null;
  seconds?: number | string | null;
  keep?: "frames" | "seconds";
};

export type ChangeShape = {
  do: "change-shape";
  node: string;
  fields: Record<string, number | boolean | string>;
};

export type ChangeSheaf = {
  do: "change-sheaf";
  sheaf: string;
  label?: string | null;
  muted?: boolean | null;
  solo?: boolean | null;
  loop?: number | string | null;
  fit?: boolean | null;
  start?: number | string | null;
  end?: number | string | null;
  fade_in?: number | string | null;
  fade_out?: number | string | null;
};

export type ChangeSwarm = {
  do: "change-swarm";
  node: string;
  settings?: Record<string, string>;
  of?: string | null;
  colliders?: string[] | null;
  locked?: string | null;
  loop?: number | string | null;
};

export type Channel = {
  value?: number;
  keys?: Key[];
  layers?: (Noise | Breeze | Wave | Settle | Follow | Travel | Turn | Formula | Repeat | Hold | Limit | Smooth | Link | Play | Use)[];
  before?: "hold" | "straight" | "repeat" | "alternate" | "accumulate";
  after?: "hold" | "straight" | "repeat" | "alternate" | "accumulate";
};

export type Clip = {
  id: string;
  label: string;
  length: number;
  tracks: Track[];
};

export type Cloth = {
  loop?: number | null;
  fit?: boolean;
  colliders?: string[];
  tempo?: number | Channel;
  locked?: string | null;
  ahead?: number | Channel;
  blend?: number | Channel;
  muted?: boolean;
  pins?: Pin[];
  weight?: number | Channel;
  stretch?: number | Channel;
  bend?: number | Channel;
  calm?: number | Channel;
  slack?: number | Channel;
  wind?: "air" | "still";
  across?: number | Channel;
  along?: number | Channel;
  gravity?: number | Channel;
  thickness?: number | Channel;
  bounce?: number | Channel;
  friction?: number | Channel;
};

export type Color = {
  r?: number | Channel;
  g?: number | Channel;
  b?: number | Channel;
};

export type Dial = {
  id: string;
  label: string;
  value?: number | Channel;
  unit?: "" | "×" | "°" | "m" | "s" | "Hz" | "fr" | "°/s" | "m/s";
  low?: number;
  high?: number;
  note?: string;
};

export type Drape = {
  do: "drape";
  node: string;
  stuff?: string;
  pins?: Pin[] | null;
};

export type Duplicate = {
  do: "duplicate";
  node: string;
  also?: string[];
  count?: number | string;
  how?: "row" | "ring" | "grid";
  move?: [number | string, number | string, number | string];
  turn?: [number | string, number | string, number | string];
  scale?: [number | string, number | string, number | string];
  radius?: number | string;
  across?: number | string;
  group?: string | null;
};

export type Eddies = {
  loop?: number | null;
  fit?: boolean;
  kind: "eddies";
  muted?: boolean;
  reach?: "everywhere" | "within";
  inner?: number | Channel;
  outer?: number | Channel;
  stirs?: "all" | "carried";
  strength?: number | Channel;
  size?: number | Channel;
  octaves?: number | Channel;
  roughness?: number | Channel;
  seed?: number | Channel;
  carried?: "wind" | "own" | "both" | "nothing";
  drift?: number | Channel;
  life?: number | Channel;
};

export type Emitter = {
  loop?: number | null;
  fit?: boolean;
  colliders?: string[];
  tempo?: number | Channel;
  locked?: string | null;
  begin?: "point" | "surface" | "inside" | "edges";
  of?: string | null;
  comes?: "steadily" | "at once";
  rate?: number | Channel;
  amount?: number | Channel;
  start?: number | Channel;
  lasts?: number | Channel;
  life?: number | Channel;
  life_varies?: number | Channel;
  ahead?: number | Channel;
  seed?: number | Channel;
  push?: number | Channel;
  push_varies?: number | Channel;
  spread?: number | Channel;
  inherits?: number | Channel;
  wind?: "air" | "still";
  answers?: number | Channel;
  gravity?: number | Channel;
  meets?: "bounce" | "stick" | "end";
  bounce?: number | Channel;
  friction?: number | Channel;
  thickness?: number | Channel;
  drawn?: "puffs" | "points" | "copies";
  copy_of?: string | null;
  size?: number | Channel;
  size_varies?: number | Channel;
  turned?: "way" | "spin";
  spin?: number | Channel;
  spin_varies?: number | Channel;
  size_over_life?: [number, number][];
  answer_over_life?: [number, number][];
  color_over_life?: [number, number, number, number, number][];
};

export type Expose = {
  target: string;
  label?: string | null;
};

export type ExposeNumber = {
  do: "expose";
  recipe: string;
  target: string;
  label?: string | null;
  on?: boolean;
};

export type Exposed = {
  name: string;
  label: string;
  target: string;
  unit?: string;
  help?: string;
  useful?: [number, number];
  step?: number;
  low?: number;
  high?: number;
};

export type ExposedNumber = {
  address: string;
  label: string;
};

export type Follow = {
  kind: "follow";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  frequency?: number | Channel;
  damping?: number | Channel;
  delay?: number | Channel;
};

export type FollowObjectRecipe = {
  do: "follow-object-recipe";
  node: string;
  recipe: string;
  addresses?: string[];
};

export type FollowRecipe = {
  do: "follow-recipe";
  address: string;
  number: string;
};

export type Formula = {
  kind: "formula";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  text?: string;
};

export type GatherSheaf = {
  do: "gather-sheaf";
  addresses: string[];
  label?: string | null;
};

export type GradientMask = {
  kind: "gradient";
  invert?: boolean;
  nothing?: number | Channel;
  full?: number | Channel;
};

export type GroupObjects = {
  do: "group";
  nodes: string[];
  label?: string;
};

export type HangObjects = {
  do: "hang";
  nodes: string[];
  under?: string | null;
  before?: string | null;
  stay?: boolean;
  frame?: number | string | null;
};

export type Held = {
  address: string;
  value: number;
};

export type Hold = {
  kind: "hold";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  every?: number | Channel;
};

export type Jiggle = {
  kind: "jiggle";
  id: string;
  label: string;
  muted?: boolean;
  weight?: number | Channel;
  axis?: "x" | "y" | "z";
  placement?: Placement;
  start?: number | Channel;
  end?: number | Channel;
  fade?: "none" | "start" | "end" | "both" | "middle";
  fade_length?: number | Channel;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  shift?: number | Channel;
  frequency?: number | Channel;
  damping?: number | Channel;
  reach?: number | Channel;
};

export type JoinSheaf = {
  do: "join-sheaf";
  sheaf: string;
  addresses: string[];
};

export type KeepSheaf = {
  do: "keep-sheaf";
  sheaf: string;
  label?: string | null;
};

export type Key = {
  frame: number;
  value: number;
  slope_in?: number | "straight" | null;
  slope_out?: number | "straight" | null;
  go?: "cubic" | "linear" | "step";
};

export type LeaveSheaf = {
  do: "leave-sheaf";
  addresses: string[];
};

export type Lettering = {
  kind: "lettering";
  base?: boolean;
  pivot?: [number, number, number];
  text?: string;
  font?: string;
  size?: number | Channel;
  depth?: number | Channel;
  density?: number;
  slices?: number;
};

export type Light = {
  kind?: "lamp" | "sun";
  intensity?: number | Channel;
  color?: Color;
};

export type Limit = {
  kind: "limit";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  lowest?: number | Channel;
  highest?: number | Channel;
  knee?: number | Channel;
};

export type Link = {
  kind: "link";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  source?: string;
  gain?: number | Channel;
  offset?: number | Channel;
  delay?: number | Channel;
};

export type Look = {
  color?: Color;
  glow?: number | Channel;
  roughness?: number | Channel;
  picture?: Picture | null;
};

export type Mark = {
  id: string;
  label: string;
  frame: number;
  color?: "brick" | "ochre" | "moss" | "lake" | "plum" | "ink";
  remark?: string;
};

export type MeshShape = {
  kind: "mesh";
  base?: boolean;
  pivot?: [number, number, number];
  asset: string;
  weights?: string | null;
  size?: number | Channel;
};

export type MoveDeformer = {
  do: "move-deformer";
  node: string;
  deformer: string;
  to: number;
};

export type MoveKeys = {
  do: "move-keys";
  address: string;
  frames: (number | string)[];
  by?: number | string;
  rise?: number | string;
  frame?: number | string | null;
  value?: number | string | null;
};

export type MoveLayer = {
  do: "move-layer";
  address: string;
  to: number;
};

export type MoveSheaf = {
  do: "move-sheaf";
  sheaf: string;
  by: number | string;
  alone?: boolean;
};

export type Node = {
  id: string;
  label: string;
  parent?: string | null;
  visible?: boolean;
  position?: Position;
  rotation?: Rotation;
  scale?: Scale;
  aim?: Aim | null;
  shape?: Box | Ball | Tube | Ring | Basin | Sheet | Lettering | MeshShape | null;
  deform?: (Bend | Twist | Taper | Stretch | Undulate | Ripple | Rumple | Sway | Jiggle)[];
  targets?: ShapeTargets | ShapeFrames | null;
  look?: Look | null;
  light?: Light | null;
  camera?: Camera | null;
  field?: Wind | Eddies | Whirl | Push | null;
  scatter?: Scatter | null;
  emitter?: Emitter | null;
  cloth?: Cloth | null;
  swarm?: Swarm | null;
  origin?: Origin | null;
  uses?: ObjectUse[];
};

export type Noise = {
  kind: "noise";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  amplitude?: number | Channel;
  period?: number | Channel;
  octaves?: number | Channel;
  roughness?: number | Channel;
  seed?: number | Channel;
  shift?: number | Channel;
  bias?: number | Channel;
  gain?: number | Channel;
  offset?: number | Channel;
  character?: "smooth" | "billow" | "ridged" | "steps" | "white";
  side?: "both" | "above" | "below";
};

export type NoiseMask = {
  kind: "noise";
  invert?: boolean;
  size?: number | Channel;
  contrast?: number | Channel;
  seed?: number | Channel;
};

export type Nudge = {
  do: "nudge";
  address: string;
  by: number | string;
  frame: number | string;
  key?: boolean;
  snap?: number | string;
};

export type ObjectRecipe = {
  id: string;
  label: string;
  note?: string;
  nodes: Node[];
  exposed?: ExposedNumber[];
  size?: number;
  across?: number;
};

export type ObjectUse = {
  recipe: string;
  inside?: number;
  outside?: number;
  objects?: [string, string][];
  parts?: [string, string][];
};

export type Orbit = {
  do: "orbit";
  node: string;
  around: string;
};

export type Origin = {
  asset: string;
  index: number;
};

export type Override = {
  name: string;
  value: number | Channel;
};

export type Pan = {
  do: "pan";
  node: string;
};

export type PartObjectRecipe = {
  do: "part-object-recipe";
  nodes: string[];
  recipe: string;
  parts?: "stay" | "go";
};

export type PartSheaf = {
  do: "part-sheaf";
  sheaf: string;
  layers?: "stay" | "go";
};

export type PasteKeys = {
  do: "paste-keys";
  address: string;
  keys: Key[];
  frame: number | string;
  how?: "among" | "instead";
};

export type Picture = {
  asset: string;
  label?: string;
  x?: number | Channel;
  y?: number | Channel;
  size?: number | Channel;
  beyond?: "clear" | "last" | "mirror" | "repeat";
};

export type PictureMask = {
  kind: "picture";
  invert?: boolean;
  asset: string;
  label?: string;
  plane?: "front" | "top" | "side" | "across";
  width?: number | Channel;
  height?: number | Channel;
  right?: number | Channel;
  up?: number | Channel;
};

export type Pin = {
  id: string;
  label: string;
  at: "edge" | "corners" | "corner" | "mask";
  side?: "left" | "right" | "bottom" | "top" | "back" | "front";
  other?: "left" | "right" | "bottom" | "top" | "back" | "front" | null;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  to?: string | null;
  strength?: number | Channel;
};

export type PlaceBake = {
  do: "place-bake";
  first: number;
  last: number;
  method: "each" | "every" | "fitted";
  every?: number | null;
  extremes?: boolean;
  steps?: boolean;
  thorough?: boolean;
  tolerances?: Record<string, number>;
  channels: BakedChannel[];
};

export type PlacePose = {
  do: "place-pose";
  pose: string;
  frame: number | string;
  mix?: number | string;
  other?: string | null;
};

export type PlaceShapeBake = {
  do: "place-shape-bake";
  node: string;
  targets: ShapeTargets | ShapeFrames;
};

export type Placement = {
  x?: number | Channel;
  y?: number | Channel;
  z?: number | Channel;
  turn_x?: number | Channel;
  turn_y?: number | Channel;
  turn_z?: number | Channel;
  of?: string | null;
};

export type Play = {
  kind: "clip";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  source?: string;
  start?: number | Channel;
  speed?: number | Channel;
  size?: number | Channel;
  seam?: number | Channel;
  after?: "hold" | "repeat" | "alternate" | "accumulate";
};

export type PlayClip = {
  do: "play-clip";
  clip: string;
  frame: number | string;
  track?: string | null;
  addresses?: string[];
  after?: "hold" | "repeat" | "alternate" | "accumulate";
  speed?: number | string;
  seam?: number | string;
  blend?: number | string;
  dial?: boolean;
  block?: boolean;
};

export type Pose = {
  id: string;
  label: string;
  held: Held[];
};

export type Position = {
  x?: number | Channel;
  y?: number | Channel;
  z?: number | Channel;
};

export type Pour = {
  do: "pour";
  of: string;
  fills?: "body" | "hollow";
  label?: string;
};

export type Push = {
  loop?: number | null;
  fit?: boolean;
  kind: "push";
  muted?: boolean;
  reach?: "everywhere" | "within";
  inner?: number | Channel;
  outer?: number | Channel;
  stirs?: "all" | "carried";
  speed?: number | Channel;
  radius?: number | Channel;
};

export type PutClip = {
  do: "put-clip";
  clip: Clip;
};

export type PutDeformers = {
  do: "put-deformers";
  nodes: string[];
  deformers: (Bend | Twist | Taper | Stretch | Undulate | Ripple | Rumple | Sway | Jiggle)[];
  size?: number | null;
  how?: "on-top" | "instead";
};

export type PutKey = {
  do: "put-key";
  address: string;
  frame: number | string;
  value?: number | string | null;
  slope_in?: number | string | "straight" | null;
  slope_out?: number | string | "straight" | null;
  go?: "cubic" | "linear" | "step" | null;
};

export type PutLayers = {
  do: "put-layers";
  address: string;
  layers: (Noise | Breeze | Wave | Settle | Follow | Travel | Turn | Formula | Repeat | Hold | Limit | Smooth | Link | Play | Use)[];
  unit?: string | null;
  reach?: number | null;
  how?: "on-top" | "instead";
  recipes?: Recipe[];
  sheaves?: Sheaf[];
};

export type PutLook = {
  do: "put-look";
  nodes: string[];
  look: Look;
};

export type PutObjectRecipe = {
  do: "put-object-recipe";
  recipe: string;
  nodes?: string[];
  seeds?: "own" | "same";
  position?: [number | string, number | string, number | string] | null;
};

export type PutPicture = {
  do: "put-picture";
  node: string;
  asset: string;
  label?: string;
};

export type PutRecipe = {
  do: "put-recipe";
  recipe: Recipe;
};

export type Receipt = {
  id: string;
  first: number;
  last: number;
  method: "each" | "every" | "fitted";
  every?: number | null;
  extremes?: boolean;
  steps?: boolean;
  thorough?: boolean;
  tolerances?: Record<string, number>;
  lines: ReceiptLine[];
};

export type ReceiptLine = {
  address: string;
  keys: number;
  baked?: Key[];
  worst: number;
  between?: number;
  former_value: number;
  former_keys: Key[];
  former_before?: "hold" | "straight" | "repeat" | "alternate" | "accumulate";
  former_after?: "hold" | "straight" | "repeat" | "alternate" | "accumulate";
  switched_off: string[];
  room?: number;
};

export type Recipe = {
  id: string;
  label: string;
  note?: string;
  unit?: string;
  reach?: number;
  stack: Channel;
  exposed?: Exposed[];
};

export type RemoveAim = {
  do: "remove-aim";
  node: string;
};

export type RemoveClip = {
  do: "remove-clip";
  clip: string;
};

export type RemoveDeformer = {
  do: "remove-deformer";
  node: string;
  deformer: string;
};

export type RemoveDial = {
  do: "remove-dial";
  dial: string;
};

export type RemoveKeys = {
  do: "remove-keys";
  address: string;
  frames: (number | string)[];
};

export type RemoveLayer = {
  do: "remove-layer";
  address: string;
};

export type RemoveMark = {
  do: "remove-mark";
  mark: string;
};

export type RemoveObject = {
  do: "remove-object";
  node: string;
  also?: string[];
};

export type RemoveObjectRecipe = {
  do: "remove-object-recipe";
  recipe: string;
  part?: boolean;
};

export type RemovePin = {
  do: "unpin";
  node: string;
  pin: string;
};

export type RemovePose = {
  do: "remove-pose";
  pose: string;
};

export type RemoveRecipe = {
  do: "remove-recipe";
  recipe: string;
};

export type Repeat = {
  kind: "repeat";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  rounds?: number | Channel;
  mode?: "repeat" | "alternate" | "accumulate";
  side?: "both" | "after" | "before";
};

export type Ring = {
  kind: "ring";
  base?: boolean;
  pivot?: [number, number, number];
  radius?: number | Channel;
  thickness?: number | Channel;
  around?: number;
  across?: number;
};

export type Ripple = {
  kind: "ripple";
  id: string;
  label: string;
  muted?: boolean;
  weight?: number | Channel;
  axis?: "x" | "y" | "z";
  placement?: Placement;
  start?: number | Channel;
  end?: number | Channel;
  fade?: "none" | "start" | "end" | "both" | "middle";
  fade_length?: number | Channel;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  shift?: number | Channel;
  height?: number | Channel;
  spacing?: number | Channel;
  speed?: number | Channel;
  width?: number | Channel;
  begin?: number | Channel;
  life?: number | Channel;
  damping?: number | Channel;
  far?: number | Channel;
  rim?: number | Channel;
  form?: "endless" | "pulse";
  shape?: "rings" | "straight";
  runs?: "outward" | "inward";
  toward?: "axis" | "side" | "across" | "normals";
};

export type Rotation = {
  x?: number | Channel;
  y?: number | Channel;
  z?: number | Channel;
  order?: "xyz" | "xzy" | "yxz" | "yzx" | "zxy" | "zyx";
};

export type Rumple = {
  kind: "rumple";
  id: string;
  label: string;
  muted?: boolean;
  weight?: number | Channel;
  axis?: "x" | "y" | "z";
  placement?: Placement;
  start?: number | Channel;
  end?: number | Channel;
  fade?: "none" | "start" | "end" | "both" | "middle";
  fade_length?: number | Channel;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  shift?: number | Channel;
  height?: number | Channel;
  size?: number | Channel;
  octaves?: number | Channel;
  roughness?: number | Channel;
  drift?: number | Channel;
  seed?: number | Channel;
  toward?: "normals" | "side" | "across" | "axis";
};

export type SaveObjectRecipe = {
  do: "save-object-recipe";
  node: string;
  label: string;
  note?: string;
  also?: string[];
  expose?: ExposedNumber[];
};

export type SavePose = {
  do: "save-pose";
  label: string;
  addresses: string[];
  frame: number | string;
};

export type SaveRecipe = {
  do: "save-recipe";
  address: string;
  label: string;
  note?: string;
  expose?: Expose[];
  in_place?: boolean;
};

export type Scale = {
  x?: number | Channel;
  y?: number | Channel;
  z?: number | Channel;
};

export type ScaleKeys = {
  do: "scale-keys";
  address: string;
  frames: (number | string)[];
  frame?: number | string;
  value?: number | string;
  stretch?: number | string;
  height?: number | string;
  by?: number | string;
  rise?: number | string;
  snap?: boolean;
};

export type Scatter = {
  loop?: number | null;
  fit?: boolean;
  sources: string[];
  surface?: string | null;
  over?: "surface" | "row" | "grid" | "ring" | "volume";
  count?: number | Channel;
  seed?: number | Channel;
  spacing?: number | Channel;
  length?: number | Channel;
  width?: number | Channel;
  height?: number | Channel;
  radius?: number | Channel;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  upright?: "upright" | "normal";
  size?: number | Channel;
  size_varies?: number | Channel;
  turn?: number | Channel;
  turn_varies?: number | Channel;
  lean?: number | Channel;
  lean_varies?: number | Channel;
  wind?: "air" | "still";
  gain?: number | Channel;
  frequency?: number | Channel;
  frequency_varies?: number | Channel;
  damping?: number | Channel;
  variants?: number;
  shift?: number | Channel;
  gone?: number[];
};

export type Scene = {
  format: "lazzik-scene";
  version: 2;
  name: string;
  fps?: number;
  first?: number;
  last?: number;
  nodes?: Node[];
  dials?: Dial[];
  recipes?: Recipe[];
  clips?: Clip[];
  object_recipes?: ObjectRecipe[];
  sheaves?: Sheaf[];
  poses?: Pose[];
  marks?: Mark[];
  receipts?: Receipt[];
};

export type SetBeyond = {
  do: "beyond";
  address: string;
  before?: "hold" | "straight" | "repeat" | "alternate" | "accumulate" | null;
  after?: "hold" | "straight" | "repeat" | "alternate" | "accumulate" | null;
};

export type SetLoop = {
  do: "loop";
  addresses?: string[];
  frames?: number | string | null;
  fit?: boolean;
};

export type SetNumber = {
  do: "set";
  address: string;
  value: number | string;
};

export type SetPivot = {
  do: "set-pivot";
  node: string;
  point?: [number | string, number | string, number | string] | null;
  box?: "middle" | "base" | "top" | "low-corner" | "high-corner" | null;
  stay?: "always" | "rest";
};

export type SetShape = {
  do: "set-shape";
  node: string;
  shape: Box | Ball | Tube | Ring | Basin | Sheet | Lettering | MeshShape;
  drop?: string[];
  stiff?: boolean;
};

export type Settle = {
  kind: "settle";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  frequency?: number | Channel;
  damping?: number | Channel;
  strength?: number | Channel;
  when?: "both" | "arrivals" | "departures";
};

export type ShapeFrames = {
  asset: string;
  first: number;
  last: number;
  worst: number;
  points: number;
  switched_off: string[];
  was_cloth?: boolean;
};

export type ShapeKeys = {
  do: "shape-keys";
  address: string;
  frames: (number | string)[];
  slope?: number | string | "auto" | "flat" | "straight" | "join" | null;
  side?: "both" | "in" | "out";
  go?: "cubic" | "linear" | "step" | null;
};

export type ShapeTargets = {
  asset: string;
  rows: Target[];
  first: number;
  last: number;
  tolerance: number;
  worst: number;
  points: number;
  switched_off: string[];
  was_cloth?: boolean;
};

export type Sheaf = {
  id: string;
  label: string;
  window?: Window;
  weight?: number | Channel;
  muted?: boolean;
  solo?: boolean;
  loop?: number | null;
  fit?: boolean;
};

export type Sheet = {
  kind: "sheet";
  base?: boolean;
  pivot?: [number, number, number];
  width?: number | Channel;
  height?: number | Channel;
  columns?: number;
  rows?: number;
  standing?: boolean;
};

export type ShelfItem = {
  key: string;
  sort: "recipe" | "object" | "clip" | "pose" | "material";
  label: string;
  note?: string;
  tags?: string[];
  part: string;
  content: Scene;
};

export type Smooth = {
  kind: "smooth";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  cutoff?: number | Channel;
};

export type SmoothKeys = {
  do: "smooth-keys";
  address: string;
  frames: (number | string)[];
  amount?: number | string;
};

export type SnapKeys = {
  do: "snap-keys";
  address: string;
  frames: (number | string)[];
};

export type Stagger = {
  do: "stagger";
  addresses: string[];
  by?: "order" | "cycle" | "step" | "distance" | "axis" | "random";
  start?: number | string;
  amount?: number | string;
  origin?: string | null;
  point?: [number | string, number | string, number | string];
  axis?: "x" | "y" | "z";
  seed?: number | string;
};

export type StandInWind = {
  do: "stand-in-wind";
  nodes: string[];
  label?: string | null;
};

export type Stretch = {
  kind: "stretch";
  id: string;
  label: string;
  muted?: boolean;
  weight?: number | Channel;
  axis?: "x" | "y" | "z";
  placement?: Placement;
  start?: number | Channel;
  end?: number | Channel;
  fade?: "none" | "start" | "end" | "both" | "middle";
  fade_length?: number | Channel;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  shift?: number | Channel;
  factor?: number | Channel;
  volume?: "kept" | "free";
  held?: "start" | "middle" | "end";
};

export type SwapEnds = {
  do: "swap-ends";
  address: string;
};

export type Swarm = {
  loop?: number | null;
  fit?: boolean;
  colliders?: string[];
  tempo?: number | Channel;
  locked?: string | null;
  ahead?: number | Channel;
  blend?: number | Channel;
  of?: string | null;
  fills?: "body" | "hollow";
  full?: number | Channel;
  spacing?: number | Channel;
  viscosity?: number | Channel;
  cohesion?: number | Channel;
  gravity?: number | Channel;
  wind?: "surface" | "all" | "still";
  answers?: number | Channel;
  friction?: number | Channel;
  drawn?: "shell" | "balls" | "points";
  size?: number | Channel;
  fine?: number | Channel;
  round?: number | Channel;
};

export type Sway = {
  loop?: number | null;
  fit?: boolean;
  kind: "sway";
  id: string;
  label: string;
  muted?: boolean;
  weight?: number | Channel;
  axis?: "x" | "y" | "z";
  placement?: Placement;
  start?: number | Channel;
  end?: number | Channel;
  fade?: "none" | "start" | "end" | "both" | "middle";
  fade_length?: number | Channel;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  shift?: number | Channel;
  angle?: number | Channel;
  period?: number | Channel;
  tip?: number | Channel;
  tip_period?: number | Channel;
  lean?: number | Channel;
  direction?: number | Channel;
  seed?: number | Channel;
  wind?: "own" | "air";
  damping?: number | Channel;
};

export type SwitchLayer = {
  do: "switch-layer";
  address: string;
  kind: string;
};

export type TakeBack = {
  do: "take-back";
  receipt: string;
};

export type TakeBackShape = {
  do: "take-back-shape";
  node: string;
};

export type TakeCopies = {
  do: "take-copies";
  node: string;
  copies: number[];
  back?: boolean;
};

export type TakeFromShelf = {
  do: "take-from-shelf";
  item: ShelfItem;
  on?: string[];
  use?: boolean;
  frame?: number | string | null;
};

export type Taper = {
  kind: "taper";
  id: string;
  label: string;
  muted?: boolean;
  weight?: number | Channel;
  axis?: "x" | "y" | "z";
  placement?: Placement;
  start?: number | Channel;
  end?: number | Channel;
  fade?: "none" | "start" | "end" | "both" | "middle";
  fade_length?: number | Channel;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  shift?: number | Channel;
  first?: number | Channel;
  last?: number | Channel;
  curve?: number | Channel;
};

export type Target = {
  id: string;
  label: string;
  weight?: number | Channel;
};

export type ThinKeys = {
  do: "thin-keys";
  address: string;
  frames: (number | string)[];
  tolerance: number | string;
};

export type Together = {
  do: "together";
  channels: string[];
  edits: (SetNumber | PutKey | SetBeyond | Nudge | AddLayer | ChangeLayer | RemoveLayer | SwitchLayer | SwapEnds | MoveLayer | PutLayers | UseRecipe | FollowRecipe)[];
  how?: "same" | "add" | "times";
};

export type Track = {
  id: string;
  label: string;
  unit?: string;
  origin?: string;
  motion: Channel;
};

export type Travel = {
  kind: "travel";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  begin?: number | Channel;
  finish?: number | Channel;
  start?: number | Channel;
  length?: number | Channel;
  amount?: number | Channel;
  lowest?: number | Channel;
  highest?: number | Channel;
  drawn?: number | Channel;
  ease?: "linear" | "sine" | "quad" | "cubic" | "quart" | "quint" | "expo" | "circ" | "back" | "elastic" | "bounce" | "drawn";
  way?: "in" | "out" | "in-out";
  after?: "hold" | "repeat" | "alternate" | "accumulate";
  cut?: "none" | "below" | "above" | "both";
};

export type Tube = {
  kind: "tube";
  base?: boolean;
  pivot?: [number, number, number];
  radius?: number | Channel;
  upper?: number | Channel;
  height?: number | Channel;
  around?: number;
  along?: number;
  lids?: number;
};

export type Turn = {
  kind: "turn";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  rate?: number | Channel;
};

export type Twist = {
  kind: "twist";
  id: string;
  label: string;
  muted?: boolean;
  weight?: number | Channel;
  axis?: "x" | "y" | "z";
  placement?: Placement;
  start?: number | Channel;
  end?: number | Channel;
  fade?: "none" | "start" | "end" | "both" | "middle";
  fade_length?: number | Channel;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  shift?: number | Channel;
  start_angle?: number | Channel;
  angle?: number | Channel;
};

export type Undrape = {
  do: "undrape";
  node: string;
};

export type Undulate = {
  kind: "undulate";
  id: string;
  label: string;
  muted?: boolean;
  weight?: number | Channel;
  axis?: "x" | "y" | "z";
  placement?: Placement;
  start?: number | Channel;
  end?: number | Channel;
  fade?: "none" | "start" | "end" | "both" | "middle";
  fade_length?: number | Channel;
  mask?: BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask | null;
  shift?: number | Channel;
  height?: number | Channel;
  length?: number | Channel;
  speed?: number | Channel;
  phase?: number | Channel;
  toward?: "side" | "across" | "axis" | "normals";
};

export type Ungroup = {
  do: "ungroup";
  nodes: string[];
};

export type UpdateObjectRecipe = {
  do: "update-object-recipe";
  node: string;
  recipe: string;
};

export type Use = {
  kind: "recipe";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  recipe: string;
  size?: number | Channel;
  overrides?: Override[];
};

export type UseRecipe = {
  do: "use-recipe";
  address: string;
  recipe: string;
};

export type Wave = {
  kind: "wave";
  id: string;
  label: string;
  muted?: boolean;
  solo?: boolean;
  combine?: "add" | "subtract" | "multiply" | "replace";
  window?: Window;
  weight?: number | Channel;
  loop?: number | null;
  fit?: boolean;
  sheaf?: string | null;
  amplitude?: number | Channel;
  period?: number | Channel;
  phase?: number | Channel;
  offset?: number | Channel;
  width?: number | Channel;
  softness?: number | Channel;
  shape?: "sine" | "triangle" | "square" | "saw" | "pulse";
};

export type WeightsMask = {
  kind: "weights";
  invert?: boolean;
  asset: string;
};

export type Whirl = {
  loop?: number | null;
  fit?: boolean;
  kind: "whirl";
  muted?: boolean;
  reach?: "everywhere" | "within";
  inner?: number | Channel;
  outer?: number | Channel;
  stirs?: "all" | "carried";
  speed?: number | Channel;
  radius?: number | Channel;
  inflow?: number | Channel;
  lift?: number | Channel;
};

export type Wind = {
  loop?: number | null;
  fit?: boolean;
  kind: "wind";
  muted?: boolean;
  reach?: "everywhere" | "within";
  inner?: number | Channel;
  outer?: number | Channel;
  stirs?: "all" | "carried";
  speed?: number | Channel;
  gusts?: number | Channel;
  gust_length?: number | Channel;
  swing?: number | Channel;
  swing_period?: number | Channel;
  seed?: number | Channel;
};

export type Window = {
  start?: number | null;
  end?: number | null;
  fade_in?: number;
  fade_out?: number;
};

export type Edit = SetNumber | PutKey | SetBeyond | Nudge | AddLayer | ChangeLayer | RemoveLayer | SwitchLayer | SwapEnds | MoveLayer | PutLayers | UseRecipe | FollowRecipe | MoveKeys | ScaleKeys | SnapKeys | ShapeKeys | RemoveKeys | ThinKeys | SmoothKeys | PasteKeys | SavePose | PlacePose | RemovePose | PutClip | PlayClip | RemoveClip | SetLoop | Stagger | Together | AddDial | ChangeDial | RemoveDial | SaveRecipe | PutRecipe | ChangeRecipe | ExposeNumber | RemoveRecipe | SaveObjectRecipe | PutObjectRecipe | UpdateObjectRecipe | ChangeObjectRecipe | FollowObjectRecipe | PartObjectRecipe | RemoveObjectRecipe | TakeFromShelf | PutLook | AddObject | BringIn | ChangeObject | RemoveObject | HangObjects | GroupObjects | Ungroup | AddDeformer | ChangeDeformer | RemoveDeformer | PutDeformers | MoveDeformer | ChangeShape | SetShape | PlaceShapeBake | TakeBackShape | Duplicate | SetPivot | PutPicture | BringPicture | ChangePicture | AimAt | ChangeAim | RemoveAim | ChangeField | StandInWind | AddScatter | ChangeScatter | TakeCopies | AddEmitter | ChangeEmitter | Drape | Undrape | ChangeCloth | AddPin | ChangePin | RemovePin | Pour | ChangeSwarm | Orbit | Pan | GatherSheaf | ChangeSheaf | MoveSheaf | JoinSheaf | LeaveSheaf | PartSheaf | KeepSheaf | AddMark | ChangeMark | RemoveMark | ChangeScene | PlaceBake | BakeAgain | TakeBack;
