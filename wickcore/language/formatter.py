"""Tree to text: expressions and statements in their one canonical form."""

from wickcore.language import tree
from wickcore.language.statement import FRAME_OF_SUFFIX, read_number

_SUFFIX_OF_FRAME = {frame: suffix for suffix, frame in FRAME_OF_SUFFIX.items()}
OR, AND, NOT, OVER, COMPARE, SUM, PRODUCT, UNARY, POWER, AGO, ATOM = range(1, 12)
_BINARY = {"or": OR, "and": AND, "+": SUM, "-": SUM, "*": PRODUCT, "/": PRODUCT, "^": POWER}


def level(node: tree.Node) -> int:
    """How tightly the node's own form binds."""
    match node:
        case tree.Binary():
            return _BINARY[node.operator]
        case tree.Unary():
            return NOT if node.operator == "not" else UNARY
        case tree.Over():
            return OVER
        case tree.Compare() | tree.Crosses() | tree.Between() | tree.Near() | tree.Within():
            return COMPARE
        case tree.Ago():
            return AGO
        case tree.Number() if node.value < 0:
            return UNARY
    return ATOM


def number(value: float, percent: bool = False) -> str:
    """A number as a person would write it: 5%, 300k, 1.5."""
    if percent:
        return f"{float(f'{value * 100:.10g}'):.12g}%"
    for size, unit in ((1e9, "b"), (1e6, "m"), (1e3, "k")):
        if abs(value) >= size and (value / size * 100).is_integer():
            return f"{value / size:.12g}{unit}"
    return f"{value:.12g}"


def write(node: tree.Node, text: str = "", least: int = 0) -> str:
    """The expression as text. text: the rule it was read from, so that numbers keep their own spelling. least: how tightly what stands
    around it binds; brackets are put where they are needed, and nowhere else."""
    said = _write(node, text)
    return f"({said})" if level(node) < least else said


def _write(node: tree.Node, text: str) -> str:
    match node:
        case tree.Number():
            return _number(node, text)
        case tree.Text():
            return f'"{node.value}"'
        case tree.Count():
            return count(node, text)
        case tree.Name():
            return node.name
        case tree.Part():
            given = f"({', '.join(_argument(a, text) for a in node.arguments)})" if node.arguments else ""
            return f"{node.name}{given}.{node.part}"
        case tree.Call():
            return f"{node.name}({', '.join(_argument(a, text) for a in node.arguments)})"
        case tree.Unary():
            if node.operator == "not":
                return f"not {write(node.operand, text, NOT)}"
            return f"-{write(node.operand, text, UNARY)}"
        case tree.Binary():
            if node.operator == "^":
                return f"{write(node.left, text, AGO)} ^ {write(node.right, text, UNARY)}"
            mine = _BINARY[node.operator]
            return f"{write(node.left, text, mine)} {node.operator} {write(node.right, text, mine + 1)}"
        case tree.Compare():
            parts = [write(node.operands[0], text, SUM)]
            for operator, operand in zip(node.operators, node.operands[1:], strict=True):
                parts += [operator, write(operand, text, SUM)]
            return " ".join(parts)
        case tree.Crosses():
            return f"{write(node.left, text, SUM)} crosses {node.direction} {write(node.right, text, SUM)}"
        case tree.Between():
            low, high = write(node.low, text, SUM), write(node.high, text, SUM)
            return f"{write(node.value, text, SUM)} between {low} and {high}"
        case tree.Near():
            return f"{write(node.value, text, SUM)} near {write(node.target, text, SUM)} by {write(node.by, text, SUM)}"
        case tree.Within():
            texts = ", ".join(f'"{t.value}"' for t in node.texts)
            return f"{write(node.value, text, SUM)} in ({texts})"
        case tree.Ago():
            return f"{write(node.value, text, AGO)} {count(node.count, text)} ago"
        case tree.Over():
            word = "held" if node.kind == "held" else "once in"
            return f"{write(node.value, text, OVER)} {word} {count(node.count, text)}"
        case tree.Since():
            return "all" if node.condition is None else f"since {write(node.condition, text)}"
        case tree.CountOf():
            return f"count of ({', '.join(write(c, text) for c in node.conditions)})"


def _number(node: tree.Number, text: str) -> str:
    said = text[node.span.start : node.span.end]
    try:
        if said and "_" not in said and said[-1] != "n" and read_number(said) == node.value:
            return said
    except ValueError:
        pass
    return number(node.value, node.percent)


def count(node: tree.Count, text: str) -> str:
    """A number of bars: 5, 52w, a dial's name."""
    amount = node.amount.name if isinstance(node.amount, tree.Name) else f"{node.amount:.12g}"
    return amount + (_SUFFIX_OF_FRAME.get(node.frame, "") if node.frame else "")


def _argument(argument: tree.Argument, text: str) -> str:
    said = write(argument.value, text)
    return f"{argument.name}={said}" if argument.name else said


def statement(node: tree.Statement, text: str) -> str:
    """A statement's own line, without the lines of its group, indentation or comment."""
    match node:
        case tree.Let():
            return f"let {node.name} = {write(node.value, text)}"
        case tree.Dial():
            parts = [f"dial {node.name} = {number(node.default, node.percent)}"]
            if node.low is not None and node.high is not None:
                percent = node.percent
                parts.append(f"from {number(node.low, percent)} to {number(node.high, percent)}")
            if node.step is not None:
                parts.append(f"step {number(node.step, node.percent)}")
            return " ".join(parts)
        case tree.Use():
            return f'use "{node.name}"'
        case tree.Group():
            least = ""
            if node.least is not None:
                least = node.least.name if isinstance(node.least, tree.Name) else f"{node.least:.12g}"
            words = {"any": "any of:", "all": "all of:", "none": "none of:", "least": f"at least {least} of:"}
            return ("skip " if node.skip else "") + words[node.kind]
        case tree.Condition():
            return ("skip " if node.skip else "") + write(node.value, text)
