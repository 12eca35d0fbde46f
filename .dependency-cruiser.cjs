/** Who may import whom. Each folder of the pipeline only knows those before it; views never know each other. */
const pipeline = [
  'components',
  'language',
  'lines',
  'project',
  'flows',
  'behaviour',
  'flatten',
  'editing',
  'requirements',
  'network',
  'clipping',
  'analysis',
  'program',
  'relations',
  'simulate',
  'pins',
  'serial',
  'stepcode',
  'plantcode',
  'boards',
  'verdicts',
  'formats',
  'sequences',
  'scripts',
  'panels',
  'run',
  'trace',
  'exchange',
  'studies',
  'proof',
  'versions',
  'evidence',
];
const order = pipeline.map((folder, k) => ({
  name: `${folder}-knows-nothing-later`,
  severity: 'error',
  comment: 'a step of the pipeline never imports a later one',
  from: { path: `^core/${folder}/`, pathNot: '\\.test\\.ts$' },
  to: {
    path:
      pipeline
        .slice(k + 1)
        .map((later) => `^core/${later}/`)
        .join('|') || '^$',
  },
}));

module.exports = {
  forbidden: [
    { name: 'no-cycles', severity: 'error', from: { pathNot: '^node_modules' }, to: { circular: true } },
    {
      name: 'core-is-alone',
      severity: 'error',
      from: { path: '^core/', pathNot: '\\.test\\.ts$' },
      to: { path: '^(app|cli|store|ui|views|workers|samples|e2e)/' },
    },
    {
      name: 'core-has-no-interface',
      severity: 'error',
      from: { path: '^core/' },
      to: { path: 'node_modules/(react|react-dom|next|bootstrap|chart\\.js|@xyflow)/' },
    },
    {
      name: 'views-stay-apart',
      severity: 'error',
      from: { path: '^views/([^/]+)/', pathNot: '^views/(workbench)/' },
      to: { path: '^views/([^/]+)/', pathNot: '^views/($1|workbench/files)' },
    },
    { name: 'ui-knows-no-view', severity: 'error', from: { path: '^(ui|store)/' }, to: { path: '^(views|app)/' } },
    ...order.slice(0, -1),
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsConfig: { fileName: 'tsconfig.json' },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: { extensions: ['.ts', '.tsx', '.mjs', '.js'] },
  },
};
