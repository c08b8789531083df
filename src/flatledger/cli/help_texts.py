"""What the commands say of themselves: texts, since docstrings can be left out of a program."""

MAIN = """
Turn records that hold other records into flat tables that add up.

A layout, a small YAML file, says what a row stands for, which columns there are, which records
take part, and how they are ordered, grouped and totalled. Each run ends with a balance: what
was read, filtered out and written, and every total's two sides.

\b
To begin with a file of your own:
  flatledger survey FILE
  flatledger draft FILE -o layout.yaml
  flatledger preview layout.yaml FILE
  flatledger export layout.yaml FILE -o table.csv
To see what it can do: flatledger demo
"""

EXPORT = """
Export SOURCE as LAYOUT says, and show the balance.

SOURCE is JSON, XML, delimited text or a workbook; several names, a pattern in quotes, a folder
and a ZIP file are one source; - is standard input. The table goes where -o says, in the format
of its name, else where the layout says, else to standard output. The balance goes to standard
error.

\b
flatledger export requisition-lines.yaml requisitions.jsonl
flatledger export requisition-lines.yaml requisitions.jsonl -o - | less

LAYOUT ends in .yaml or .yml, or is the name of one on the shelf. Options change it for this
run: conditions are added, columns changed or added. Without LAYOUT its columns are typed:

\b
flatledger export requisitions.jsonl --row-per lines
    --column 'Part: lines.part.code' --only 'lines.qty > 1'
    --column 'Quantity: {value: lines.qty, total: sum}'
"""

SURVEY = """
Show every field of SOURCE: its path, how often it is filled and repeats, what it holds.

\b
flatledger survey requisitions.jsonl
flatledger survey requisitions.jsonl --under lines.part
flatledger survey requisitions.jsonl --values status
"""

PREVIEW = """
Show what an export would give, without writing anything.

The plan in plain words, the first rows, the columns with what they hold, and what would be
read, filtered out and written, counted over the whole of SOURCE. A layout can be typed as for
export.

\b
flatledger preview requisition-lines.yaml requisitions.jsonl --rows 20
flatledger preview requisition-lines.yaml requisitions.jsonl --html look.html
"""

DRAFT = """
Draft a layout for SOURCE that runs as it is: every field at or above the row's level.

\b
flatledger draft requisitions.jsonl
flatledger draft requisitions.jsonl --row-per payments -o payments.yaml
"""

TRY = """
Evaluate EXPRESSION on the first records of SOURCE, and show each value and its type.

\b
flatledger try station requisitions.jsonl
flatledger try station.name requisitions.jsonl
flatledger try 'lines.qty * 2' requisitions.jsonl --row-per lines
flatledger try 'sum(lines.qty)' requisitions.jsonl --first 1 --steps
"""

SPECIMEN = """
Write a blank table of LAYOUT for people who will fill it in.

It has the headings and one example row: the first row that SOURCE gives, or made up. In a
workbook each column says what it takes, and offers a list where only some values are allowed.

\b
flatledger specimen requisition-lines.yaml -o form.xlsx
"""

CHECK = """
Check LAYOUT without data: its form, its names and files, its expressions.

Each fault is listed with its line. What only the data can show (whether a field is there,
where records repeat) is shown by `flatledger preview`. With --code the functions of Python are
shown by which an export of SOURCE goes.

\b
flatledger check requisition-lines.yaml
flatledger check requisition-lines.yaml requisitions.jsonl --code
"""

HELP = """
Show this help, or that of a command: flatledger help export
"""

DEMO = """
Run the sample layouts over the sample data, and show what comes of it.
"""

SHELF = """
List the shelf: saved layouts, conditions and lists, with what they are for.

A layout's name on the shelf can be given wherever its file can. Shared folders are named in
the environment variable FLATLEDGER_SHELVES, or in the settings file.
"""

SCHEMA = """
Write the JSON Schema of a layout: an editor that knows it proposes keys, says
what each is for, and marks what is not one.
"""

PUT = """
Put FILE on the personal shelf: a layout, conditions (`only` alone), or a list (.txt, .csv).

What it holds is checked first.
"""

GET = """
Write the text of NAME to a file or to standard output; it stays on the shelf.
"""

REMOVE = """
Remove NAME from the personal shelf. A copy is kept.
"""
