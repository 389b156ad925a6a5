/** Every place of the front end's pure functions where one small thing could be another, as JSON. Texts are left alone. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

import ts from 'typescript';

const OTHER = new Map([
  ['<', '<='],
  ['<=', '<'],
  ['>', '>='],
  ['>=', '>'],
  ['===', '!=='],
  ['!==', '==='],
  ['&&', '||'],
  ['||', '&&'],
  ['??', '&&'],
  ['+', '-'],
  ['-', '+'],
  ['*', '/'],
  ['/', '*'],
  ['%', '*'],
]);
const PASSED_OVER = /\.(test|d)\.ts$|^src\/(testing|api)\/|queries\.ts$/;

const files = (folder) =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory() ? files(join(folder, entry.name)) : [join(folder, entry.name)],
  );

function faults(path) {
  const text = readFileSync(path, 'utf8');
  const source = ts.createSourceFile(path, text, ts.ScriptTarget.Latest, true);
  const found = [];
  const bytes = (at) => Buffer.byteLength(text.slice(0, at));
  const add = (start, end, now, what) =>
    found.push({ path, line: source.getLineAndCharacterOfPosition(start).line + 1, start: bytes(start), end: bytes(end), new: now, what });
  const isText = (node) => ts.isStringLiteralLike(node) || ts.isTemplateExpression(node);
  const visit = (node) => {
    if (ts.isTypeNode(node) || ts.isImportDeclaration(node) || ts.isInterfaceDeclaration(node) || ts.isTypeAliasDeclaration(node)) return;
    if (ts.isBinaryExpression(node)) {
      const sign = node.operatorToken;
      const other = OTHER.get(sign.getText());
      const joins = sign.getText() === '+' && (isText(node.left) || isText(node.right));
      if (other && !joins) add(sign.getStart(), sign.getEnd(), other, 'reckoned or compared otherwise');
    } else if (ts.isNumericLiteral(node)) add(node.getStart(), node.getEnd(), `(${node.getText()} + 1)`, 'one more');
    else if (node.kind === ts.SyntaxKind.TrueKeyword) add(node.getStart(), node.getEnd(), 'false', 'yes, no');
    else if (node.kind === ts.SyntaxKind.FalseKeyword) add(node.getStart(), node.getEnd(), 'true', 'yes, no');
    else if (ts.isPrefixUnaryExpression(node) && node.operator === ts.SyntaxKind.ExclamationToken)
      add(node.getStart(), node.operand.getStart(), '!!', 'not negated');
    else if (ts.isConditionalExpression(node)) {
      add(node.condition.getStart(), node.condition.getEnd(), 'true', 'always true');
      add(node.condition.getStart(), node.condition.getEnd(), 'false', 'always false');
    } else if (ts.isIfStatement(node)) {
      add(node.expression.getStart(), node.expression.getEnd(), 'true', 'always true');
      add(node.expression.getStart(), node.expression.getEnd(), 'false', 'always false');
    }
    ts.forEachChild(node, visit);
  };
  visit(source);
  return found;
}

const chosen = files(process.argv[2]).filter((path) => path.endsWith('.ts') && !PASSED_OVER.test(path));
process.stdout.write(JSON.stringify(chosen.sort().flatMap(faults)));
