"""What can go wrong in a line of Python: every place of a file where one small thing could be another, by its syntax tree."""

import ast
from collections.abc import Iterator
from copy import deepcopy
from dataclasses import dataclass

_COMPARED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_RECKONED: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.FloorDiv, ast.FloorDiv: ast.Mult, ast.Div: ast.Mult, ast.Mod: ast.Mult,
    ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
}  # fmt: skip


SMALL = 10
"""Numbers up to here become one more, larger ones ten times as large: a limit of 500 that is 501 is no fault."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """Bytes `start` to `end` of a file would be `new`."""

    path: str
    line: int
    start: int
    end: int
    new: str
    what: str
    last: int = 0
    """The last line of the statement, or of its head, that it lies in; `first` is its first. 0: the line alone."""
    first: int = 0

    def lines(self) -> range:
        """Lines one of which is run when what is broken is."""
        return range(self.first, self.last + 1) if self.last else range(self.line, self.line + 1)

    def applied(self, text: bytes) -> bytes:
        return text[: self.start] + self.new.encode() + text[self.end :]


def faults_of(path: str, text: bytes) -> list[Fault]:
    """In the order of the file. Raises SyntaxError."""
    finder = _Finder(path, text)
    finder.visit(ast.parse(text))
    return sorted(finder.found, key=lambda one: (one.start, one.end, one.new))


class _Finder(ast.NodeVisitor):
    """Annotations, decorators, docstrings and texts are left alone: they decide nothing, or nothing that a test should hold on to."""

    def __init__(self, path: str, text: bytes) -> None:
        self.found: list[Fault] = []
        self._path = path
        self._head = (0, 0)
        self._lines = [0]
        for line in text.splitlines(keepends=True):
            self._lines.append(self._lines[-1] + len(line))

    def _add(self, node: ast.expr | ast.stmt, new: str, what: str) -> None:
        assert node.end_lineno is not None and node.end_col_offset is not None
        start, end = self._lines[node.lineno - 1] + node.col_offset, self._lines[node.end_lineno - 1] + node.end_col_offset
        first, last = self._head
        self.found.append(Fault(path=self._path, line=node.lineno, start=start, end=end, new=new, what=what, first=first, last=last))

    def visit(self, node: ast.AST) -> None:
        was = self._head
        if isinstance(node, ast.stmt):
            body = getattr(node, "body", None)
            self._head = (node.lineno, max(node.lineno, body[0].lineno - 1) if body else node.end_lineno or node.lineno)
        super().visit(node)
        self._head = was

    def _changed(self, node: ast.expr, what: str, **fields: object) -> None:
        other = deepcopy(node)
        for name, value in fields.items():
            setattr(other, name, value)
        self._add(node, f"({ast.unparse(other)})", what)

    # -- what is passed over

    def visit_FunctionDef(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        for default in (*node.args.defaults, *(one for one in node.args.kw_defaults if one is not None)):
            self.visit(default)
        self._body(node.body)

    visit_AsyncFunctionDef = visit_FunctionDef

    def visit_ClassDef(self, node: ast.ClassDef) -> None:
        self._body(node.body)

    def visit_Module(self, node: ast.Module) -> None:
        self._body(node.body)

    def _body(self, body: list[ast.stmt]) -> None:
        for statement in body:
            if not (isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant)):
                self.visit(statement)

    def visit_AnnAssign(self, node: ast.AnnAssign) -> None:
        if node.value is not None:
            self.visit(node.value)

    def visit_JoinedStr(self, node: ast.JoinedStr) -> None:
        """Places inside of one are not told truly before Python 3.12."""

    def visit_Assert(self, node: ast.Assert) -> None:
        """What the type checker is told."""

    def visit_Call(self, node: ast.Call) -> None:
        """But for `zip(…, strict=True)`: a guard for what cannot be."""
        self.visit(node.func)
        for argument in (*node.args, *(one.value for one in node.keywords if one.arg != "strict")):
            self.visit(argument)

    # -- what could be otherwise

    def visit_Compare(self, node: ast.Compare) -> None:
        if len(node.ops) == 1:
            self._changed(node, "compared otherwise", ops=[_COMPARED[type(node.ops[0])]()])
        self.generic_visit(node)

    def visit_BoolOp(self, node: ast.BoolOp) -> None:
        self._changed(node, "and, or", op=ast.Or() if isinstance(node.op, ast.And) else ast.And())
        self.generic_visit(node)

    def visit_UnaryOp(self, node: ast.UnaryOp) -> None:
        if isinstance(node.op, ast.Not):
            self._add(node, f"bool({ast.unparse(node.operand)})", "not negated")
        self.generic_visit(node)

    def visit_BinOp(self, node: ast.BinOp) -> None:
        other = _RECKONED.get(type(node.op))
        if other is not None and not any(isinstance(side, ast.JoinedStr) or _is_text(side) for side in (node.left, node.right)):
            self._changed(node, "reckoned otherwise", op=other())
        self.generic_visit(node)

    def visit_AugAssign(self, node: ast.AugAssign) -> None:
        other = _RECKONED.get(type(node.op))
        if other is not None and not _is_text(node.value):
            changed = deepcopy(node)
            changed.op = other()
            self._add(node, ast.unparse(changed), "reckoned otherwise")
        self.visit(node.value)

    def visit_Constant(self, node: ast.Constant) -> None:
        if isinstance(node.value, bool):
            self._add(node, str(not node.value), "yes, no")
        elif isinstance(node.value, int):
            self._add(node, str(node.value + 1 if abs(node.value) <= SMALL else node.value * 10), "another number")

    def visit_If(self, node: ast.If) -> None:
        """But for what only the type checker reads."""
        if not (isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING"):
            self._branch(node)

    def _branch(self, node: ast.If | ast.IfExp | ast.While) -> None:
        for value in ("True", "False"):
            if not (isinstance(node, ast.While) and value == "True"):
                self._add(node.test, value, f"always {value.lower()}")
        self.generic_visit(node)

    visit_IfExp = visit_While = _branch

    def visit_Return(self, node: ast.Return) -> None:
        if node.value is not None and not (isinstance(node.value, ast.Constant) and node.value.value is None):
            self._add(node, "return None", "returns nothing")
        self.generic_visit(node)

    def visit_Expr(self, node: ast.Expr) -> None:
        if isinstance(node.value, ast.Call):
            self._add(node, "pass", "left out")
        self.generic_visit(node)

    def visit_Raise(self, node: ast.Raise) -> None:
        self._add(node, "pass", "not raised")


def _is_text(node: ast.expr) -> bool:
    return isinstance(node, ast.Constant) and isinstance(node.value, str | bytes)


def python_faults(paths: Iterator[tuple[str, bytes]]) -> list[Fault]:
    return [fault for path, text in paths for fault in faults_of(path, text)]
