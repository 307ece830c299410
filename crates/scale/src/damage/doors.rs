//! Every page and every address for scripts that takes a file, with a sound one of each format that it takes.

use std::io::{Cursor, Write};
use std::time::Instant;

use anyhow::{Context, Result};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use super::mutation::Sound;
use super::{Door, Outcome};
use crate::people::{Person, Server, between};
use crate::visit::contact_types;

pub(super) const CALENDAR: &str = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Larkhaven//EN\r\nBEGIN:VEVENT\r\nUID:1\r\n\
    DTSTAMP:20261101T000000Z\r\nDTSTART;VALUE=DATE:20261225\r\nRRULE:FREQ=YEARLY\r\nSUMMARY:Christmas\r\nEND:VEVENT\r\n\
    BEGIN:VEVENT\r\nUID:2\r\nDTSTAMP:20261101T000000Z\r\nDTSTART;VALUE=DATE:20260401\r\nDTEND;VALUE=DATE:20260404\r\n\
    SUMMARY:Spring fair\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
pub(super) const ROSTER: &str = "agent,team,skills,start,end,break_start,break_end\n\
    Ada Wren,Day,,2026-12-01T09:00,2026-12-01T17:00,2026-12-01T12:00,2026-12-01T12:30\n\
    Ben Tarn,Day,,2026-12-01T10:00,2026-12-01T18:00,,\nCleo Marsh,,,2026-12-02T07:30,2026-12-02T15:30,,\n";
pub(super) const SHIFTS: &str = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Larkhaven//EN\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTAMP:20261101T000000Z\r\n\
    DTSTART:20261201T090000Z\r\nDTEND:20261201T170000Z\r\nSUMMARY:Ada Wren\r\nRRULE:FREQ=DAILY;COUNT=4\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
const DO_NOT_CALL: &str = "number\n+441632960001\n+441632960002\n01632 960 003\n";
const LIST_COLUMNS: &str = "number,zone,priority,hours,attempts\n";
const HISTORY: &str = "contact_type,interval_start,offered,answered,abandoned,handle_secs\n";

/// A page with a form for a file.
pub struct Page {
    name: String,
    person: Person,
    path: String,
    file_name: &'static str,
    /// Other fields of the form.
    fields: Vec<(&'static str, String)>,
    /// A page whose form says which version it is based on; it is read again once a file was taken.
    form: Option<String>,
    /// A token, where it is no page but an address that takes the file as it is.
    token: Option<(String, &'static str)>,
    sound: Sound,
}

impl Door for Page {
    fn name(&self) -> &str {
        &self.name
    }

    fn sound(&self) -> &Sound {
        &self.sound
    }

    async fn send(&mut self, file: Vec<u8>) -> Result<Outcome> {
        if let (Some(form), false) =
            (&self.form, self.fields.iter().any(|(name, _)| *name == "based_on"))
        {
            let page = self.person.page(form).await?;
            let version = between(&page, "name=\"based_on\" value=\"", "\"")
                .context("a form without a version")?;
            self.fields.push(("based_on", version));
        }
        let begun = Instant::now();
        let answer = match &self.token {
            Some((token, kind)) => self.person.put(&self.path, token, kind, file).await?,
            None => self.person.upload(&self.path, &self.fields, self.file_name, &file).await?,
        };
        let status = answer.status();
        let said = answer.text().await?;
        if !status.is_client_error() || status.as_u16() == 409 {
            self.fields.retain(|(name, _)| *name != "based_on");
        }
        Ok(Outcome {
            code: status.as_str().to_owned(),
            took: begun.elapsed(),
            is_fault: status.is_server_error(),
            said,
        })
    }
}

/// All doors of a server that has the demo.
pub async fn all(server: &Server) -> Result<Vec<Page>> {
    let person = server.sign_in().await?;
    let types = contact_types(&person.page("/demand").await?);
    let of_type = types.first().context("this server has no contact types")?;
    let token = person.token("damaged files").await?;
    let history = person.page("/demand/import/example.csv").await?;
    let strategy = person.page("/strategy/versions/1").await?;
    let campaigns = person.page("/strategy/campaigns").await?;
    let campaign = between(&campaigns, "action=\"/strategy/campaigns/", "/records\"")
        .context("no campaign")?;
    let list = person.page("/strategy/lists/example.csv").await?;
    let list = if list.lines().count() > 2 {
        list
    } else {
        format!("{LIST_COLUMNS}+442079460018,Europe/London,1,17:00-20:00,0\n")
    };
    let page = |name: &str, path: &str, file_name: &'static str, sound: Sound| Page {
        name: name.to_owned(),
        person: person.clone(),
        path: path.to_owned(),
        file_name,
        fields: Vec::new(),
        form: None,
        token: None,
        sound,
    };
    let text = |text: &str| Sound::Text(text.as_bytes().to_vec());
    let script = |name: &str, kind: &'static str, sound: Sound| Page {
        token: Some((token.clone(), kind)),
        ..page(name, "/api/history", "", sound)
    };
    let with = |name: &'static str, value: &str, page: Page| Page {
        fields: vec![(name, value.to_owned())],
        ..page
    };
    let based = |form: &str, page: Page| Page { form: Some(form.to_owned()), ..page };
    let roster = format!("/staffing/{of_type}/roster");
    let records = format!("/strategy/campaigns/{campaign}/records");
    let rows: Vec<serde_json::Value> = (16..36)
        .map(|half| {
            serde_json::json!({ "contact_type": "Bookings", "interval_start": format!("2026-11-20T{:02}:{:02}", half / 2, 30 * (half % 2)),
                "offered": 20, "answered": 19, "abandoned": 1, "handle_secs": 240.5 })
        })
        .collect();
    let counted = format!(
        "{HISTORY}Bookings,2026-11-20T09:00,20,19,1,240\nBookings,2026-11-20T09:30,25,25,0,250\n"
    );
    let doors = vec![
        page("history CSV", "/demand/import", "history.csv", text(&history)),
        page("history XLSX", "/demand/import", "history.xlsx", workbook(&history)?),
        script("history by script CSV", "text/csv", text(&counted)),
        script("history by script JSON", "application/json", text(&serde_json::to_string(&rows)?)),
        with(
            "class",
            "Public holiday",
            page(
                "special days iCalendar",
                "/demand/special-days/import",
                "days.ics",
                text(CALENDAR),
            ),
        ),
        based(&roster, page("roster CSV", &roster, "roster.csv", text(ROSTER))),
        based(&roster, page("roster XLSX", &roster, "roster.xlsx", workbook(ROSTER)?)),
        based(&roster, page("roster iCalendar", &roster, "roster.ics", text(SHIFTS))),
        based(
            "/strategy",
            page("strategy JSON", "/strategy/json", "strategy.json", text(&strategy)),
        ),
        based(
            "/strategy/people",
            page(
                "people CSV",
                "/strategy/people",
                "people.csv",
                text(&person.page("/strategy/people.csv").await?),
            ),
        ),
        page(
            "expectations CSV",
            "/strategy/expectations/import",
            "expectations.csv",
            text(&person.page("/strategy/expectations.csv").await?),
        ),
        page("list CSV", "/strategy/lists", "list.csv", text(&list)),
        page("list XLSX", "/strategy/lists", "list.xlsx", workbook(&list)?),
        with(
            "subject",
            "do_not_call",
            page("do not call CSV", "/strategy/lists", "no.csv", text(DO_NOT_CALL)),
        ),
        page(
            "prefixes CSV",
            "/strategy/lists/prefixes",
            "prefixes.csv",
            text(&person.page("/strategy/lists/prefixes.csv").await?),
        ),
        based(
            "/strategy/campaigns",
            page(
                "call records CSV",
                &records,
                "records.csv",
                text(&person.page("/strategy/campaigns/records.csv").await?),
            ),
        ),
    ];
    Ok(doors)
}

/// A workbook of one sheet with these rows as texts.
fn workbook(csv: &str) -> Result<Sound> {
    let mut sheet = String::from(
        "<worksheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\"><sheetData>",
    );
    for line in csv.lines() {
        sheet.push_str("<row>");
        for cell in line.split(',') {
            let cell = cell.replace('&', "&amp;").replace('<', "&lt;");
            sheet.push_str(&match cell.parse::<f64>() {
                Ok(number) => format!("<c><v>{number}</v></c>"),
                Err(_) => format!("<c t=\"inlineStr\"><is><t>{cell}</t></is></c>"),
            });
        }
        sheet.push_str("</row>");
    }
    sheet.push_str("</sheetData></worksheet>");
    let parts = [
        (
            "[Content_Types].xml",
            "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/><Default Extension=\"xml\" ContentType=\"application/xml\"/><Override PartName=\"/xl/workbook.xml\" ContentType=\"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml\"/><Override PartName=\"/xl/worksheets/sheet1.xml\" ContentType=\"application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml\"/></Types>",
        ),
        (
            "_rels/.rels",
            "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\"><Relationship Id=\"rId1\" Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument\" Target=\"xl/workbook.xml\"/></Relationships>",
        ),
        (
            "xl/workbook.xml",
            "<workbook xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\" xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\"><sheets><sheet name=\"Sheet1\" sheetId=\"1\" r:id=\"rId1\"/></sheets></workbook>",
        ),
        (
            "xl/_rels/workbook.xml.rels",
            "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\"><Relationship Id=\"rId1\" Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet\" Target=\"worksheets/sheet1.xml\"/></Relationships>",
        ),
        ("xl/worksheets/sheet1.xml", sheet.as_str()),
    ];
    let mut packed = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, text) in parts {
        packed.start_file(name, SimpleFileOptions::default())?;
        packed.write_all(text.as_bytes())?;
    }
    Ok(Sound::Workbook(packed.finish()?.into_inner()))
}
