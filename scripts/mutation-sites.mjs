// Where a source can be broken on purpose, and how: one small change each, as an engineer might make it by mistake.
import ts from 'typescript';

const swapped = new Map([
  ['+', '-'],
  ['-', '+'],
  ['*', '/'],
  ['/', '*'],
  ['%', '*'],
  ['<', '<='],
  ['<=', '<'],
  ['>', '>='],
  ['>=', '>'],
  ['===', '!=='],
  ['!==', '==='],
  ['&&', '||'],
  ['||', '&&'],
  ['+=', '-='],
  ['-=', '+='],
  ['++', '--'],
  ['--', '++'],
]);
const otherMethod = new Map([
  ['min', 'max'],
  ['max', 'min'],
  ['some', 'every'],
  ['every', 'some'],
  ['floor', 'ceil'],
  ['ceil', 'floor'],
]);

/** Changes of one file, each `{start, end, text, what}`: replace source.slice(start, end) by text. */
export function mutationSites(file, source) {
  const tree = ts.createSourceFile(file, source, ts.ScriptTarget.ES2022, true);
  const sites = [];
  const add = (node, text, what) => {
    const start = node.getStart(tree);
    const { line } = tree.getLineAndCharacterOfPosition(start);
    sites.push({ file, line: line + 1, start, end: node.end, text, what });
  };
  const swap = (token) => {
    const text = token.getText(tree);
    if (swapped.has(text)) add(token, swapped.get(text), `${text} becomes ${swapped.get(text)}`);
  };
  const visit = (node) => {
    if (ts.isTypeNode(node) || ts.isInterfaceDeclaration(node) || ts.isTypeAliasDeclaration(node)) return;
    if (ts.isImportDeclaration(node) || ts.isExportDeclaration(node)) return;
    // what is said to a person is no computation
    if (ts.isTemplateExpression(node) || ts.isNoSubstitutionTemplateLiteral(node)) return;
    if (ts.isBinaryExpression(node)) swap(node.operatorToken);
    else if (ts.isPrefixUnaryExpression(node)) {
      if (node.operator === ts.SyntaxKind.ExclamationToken) add(node, `(${node.operand.getText(tree)})`, '! left out');
      else if (node.operator === ts.SyntaxKind.MinusToken && !ts.isNumericLiteral(node.operand))
        add(node, `(${node.operand.getText(tree)})`, '- left out');
    } else if (ts.isNumericLiteral(node)) {
      const value = Number(node.getText(tree));
      const text =
        value === 0 ? '1' : Number.isInteger(value) && value < 1000 ? String(value + 1) : `(${node.getText(tree)} * 2)`;
      add(node, text, `${node.getText(tree)} becomes ${text}`);
    } else if (node.kind === ts.SyntaxKind.TrueKeyword) add(node, 'false', 'true becomes false');
    else if (node.kind === ts.SyntaxKind.FalseKeyword) add(node, 'true', 'false becomes true');
    else if (ts.isConditionalExpression(node)) {
      const [a, b] = [node.whenTrue.getText(tree), node.whenFalse.getText(tree)];
      add(node, `${node.condition.getText(tree)} ? ${b} : ${a}`, 'branches exchanged');
    } else if (ts.isIfStatement(node)) {
      add(node.expression, 'true', 'the condition always holds');
      add(node.expression, 'false', 'the condition never holds');
    } else if (ts.isExpressionStatement(node)) {
      const { expression: e } = node;
      if (ts.isCallExpression(e) || ts.isBinaryExpression(e) || ts.isPostfixUnaryExpression(e))
        add(node, ';', 'statement left out');
    } else if (ts.isBreakStatement(node) || ts.isContinueStatement(node)) {
      // leaving out what ends a case would only fall through; loops are what is meant
      if (!ts.isCaseOrDefaultClause(node.parent)) add(node, ';', `${node.getText(tree)} left out`);
    } else if (ts.isPropertyAccessExpression(node) && ts.isCallExpression(node.parent)) {
      const name = node.name.getText(tree);
      if (otherMethod.has(name)) add(node.name, otherMethod.get(name), `${name} becomes ${otherMethod.get(name)}`);
    }
    ts.forEachChild(node, visit);
  };
  visit(tree);
  return sites;
}

/** The same numbers for the same seed (Mulberry32, Ettinger 2017). */
export function randomNumbers(seed) {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let x = state;
    x = Math.imul(x ^ (x >>> 15), x | 1);
    x ^= x + Math.imul(x ^ (x >>> 7), x | 61);
    return ((x ^ (x >>> 14)) >>> 0) / 4294967296;
  };
}

/** `count` of the sites, always the same ones for the same seed and sources. */
export function sample(sites, count, seed) {
  const next = randomNumbers(seed);
  const rest = [...sites];
  const chosen = [];
  while (chosen.length < count && rest.length > 0) chosen.push(...rest.splice(Math.floor(next() * rest.length), 1));
  return chosen;
}
