"""Spreadsheets for tests, as office programs write them."""

import io
import zipfile


def sheet(rows):
    """A spreadsheet of one sheet, as an office program writes it, with texts within its cells."""

    def cell(value):
        if isinstance(value, str):
            return f'<c t="inlineStr"><is><t>{value}</t></is></c>'
        return f"<c><v>{value}</v></c>"

    body = "".join(f"<row>{''.join(map(cell, row))}</row>" for row in rows)
    space = "http://schemas.openxmlformats.org"
    main = f"{space}/spreadsheetml/2006/main"
    office = f"{space}/officeDocument/2006/relationships"
    package = f"{space}/package/2006"
    files = {
        "[Content_Types].xml": f'<Types xmlns="{package}/content-types"><Default Extension="rels" '
        'ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default '
        'Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" '
        'ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/>'
        '<Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats'
        '-officedocument.spreadsheetml.worksheet+xml"/></Types>',
        "_rels/.rels": f'<Relationships xmlns="{package}/relationships"><Relationship Id="r1" '
        f'Type="{office}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'<workbook xmlns="{main}" xmlns:r="{office}"><sheets>'
        '<sheet name="Results" sheetId="1" r:id="r1"/></sheets></workbook>',
        "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{package}/relationships">'
        f'<Relationship Id="r1" Type="{office}/worksheet" Target="worksheets/sheet1.xml"/>'
        "</Relationships>",
        "xl/worksheets/sheet1.xml": f'<worksheet xmlns="{main}"><sheetData>{body}</sheetData>'
        "</worksheet>",
    }
    return packed(files)


def open_sheet(rows):
    """The same as an open document."""
    names = "urn:oasis:names:tc:opendocument:xmlns"

    def cell(value):
        if isinstance(value, str):
            return (
                f'<table:table-cell office:value-type="string"><text:p>{value}</text:p>'
                "</table:table-cell>"
            )
        return f'<table:table-cell office:value-type="float" office:value="{value}"/>'

    body = "".join(f"<table:table-row>{''.join(map(cell, row))}</table:table-row>" for row in rows)
    content = (
        f'<office:document-content xmlns:office="{names}:office:1.0" '
        f'xmlns:table="{names}:table:1.0" xmlns:text="{names}:text:1.0"><office:body>'
        f'<office:spreadsheet><table:table table:name="Results">{body}</table:table>'
        "</office:spreadsheet></office:body></office:document-content>"
    )
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    manifest = (
        f'<manifest:manifest xmlns:manifest="{names}:manifest:1.0"><manifest:file-entry '
        f'manifest:full-path="/" manifest:media-type="{kind}"/><manifest:file-entry '
        'manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>'
    )
    return packed({"mimetype": kind, "content.xml": content, "META-INF/manifest.xml": manifest})


def packed(files):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, text in files.items():
            archive.writestr(name, text)
    return out.getvalue()
