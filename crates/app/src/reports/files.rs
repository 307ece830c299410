//! A report as files. Documents and bitmaps are drawn by a browser, where one is installed.

use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::Duration;

use barometer_report::{
    Format, Picture, Report, csv_tables, page, page_for_document, svg, workbook,
};
use barometer_store::{DrawnAs, EditionFile};
use tokio::process::Command;
use tokio::sync::Semaphore;
use uuid::Uuid;

use super::refused;
use crate::AppError;

/// The longest that a browser may take for a document.
const PATIENCE: Duration = Duration::from_secs(90);
/// Programs that draw a page without a screen, in the order in which they are looked for.
const BROWSERS: [&str; 3] = ["chromium", "chromium-browser", "google-chrome"];
/// Browsers that draw at the same time: each takes a core and some hundred megabytes.
static DRAWING: Semaphore = Semaphore::const_new(2);
/// Names a browser elsewhere.
const BROWSER_VARIABLE: &str = "BAROMETER_BROWSER";

/// Why a browser drew nothing.
#[derive(Debug, thiserror::Error)]
pub enum BrowserError {
    /// There is none.
    #[error(
        "no browser is installed on the server that could draw it; take the web page, and print that"
    )]
    None,
    /// It failed.
    #[error("the browser could not draw it: {0}")]
    Failed(String),
}

/// The files of a report; where no browser is installed, its page stands in for a document, and a note says so.
pub(super) async fn files(
    report: &Report,
    formats: &[Format],
) -> Result<(Vec<EditionFile>, Option<String>), AppError> {
    let mut files = Vec::new();
    let mut note = None;
    for format in formats {
        match file(report, *format).await {
            Ok(bytes) => files.push(EditionFile { format: *format, bytes }),
            Err(AppError::Refused(why)) if *format == Format::Pdf => {
                let is_there = formats.contains(&Format::Html);
                if !is_there {
                    let bytes = file(report, Format::Html).await?;
                    files.push(EditionFile { format: Format::Html, bytes });
                }
                note = Some(format!("The report is a web page instead of a PDF. {why}"));
            }
            Err(error) => return Err(error),
        }
    }
    Ok((files, note))
}

/// One file of a report.
///
/// # Errors
///
/// [`AppError::Refused`] for a document where no browser is installed or it fails; otherwise when the file cannot be
/// written.
pub async fn file(report: &Report, format: Format) -> Result<Vec<u8>, AppError> {
    match format {
        Format::Html => Ok(page(report).map_err(AppError::core)?.into_bytes()),
        Format::Csv => Ok(csv_tables(report).map_err(AppError::core)?.into_bytes()),
        Format::Json => serde_json::to_vec_pretty(report).map_err(AppError::core),
        Format::Xlsx => {
            let report = report.clone();
            let written = crate::computing::computed(move || workbook(&report)).await;
            written.map_err(AppError::core)?.map_err(AppError::core)
        }
        Format::Pdf => drawn(&document_page(report)?, DrawnAs::Document).await.map_err(refused),
    }
}

/// The web page that is drawn as a report's document.
///
/// # Errors
///
/// When the page cannot be written.
pub fn document_page(report: &Report) -> Result<String, AppError> {
    page_for_document(report).map_err(AppError::core)
}

/// The web page that is drawn as a picture's bitmap, twice as fine as a screen.
pub fn picture_page(picture: &Picture) -> String {
    format!(
        "<!doctype html><meta charset=\"utf-8\"><style>body{{margin:0}}svg{{display:block;width:760px}}</style>{}",
        svg(picture)
    )
}

/// A picture as a bitmap.
///
/// # Errors
///
/// [`AppError::Refused`] where no browser is installed, or it fails.
pub async fn picture_as_png(picture: &Picture) -> Result<Vec<u8>, AppError> {
    drawn(&picture_page(picture), DrawnAs::Bitmap).await.map_err(refused)
}

/// Whether documents can be drawn here.
pub fn has_browser() -> bool {
    browser().is_some()
}

fn browser() -> Option<PathBuf> {
    if let Some(named) = std::env::var_os(BROWSER_VARIABLE) {
        return Some(PathBuf::from(named)).filter(|named| named.is_file());
    }
    let path = std::env::var_os("PATH")?;
    let folders: Vec<PathBuf> = std::env::split_paths(&path).collect();
    BROWSERS
        .iter()
        .flat_map(|name| folders.iter().map(move |folder| folder.join(name)))
        .find(|program| program.is_file())
}

/// Browsers tell by the ending what they are to write, and some write nothing without one.
const fn file_name(as_what: DrawnAs) -> &'static str {
    match as_what {
        DrawnAs::Document => "drawn.pdf",
        DrawnAs::Bitmap => "drawn.png",
    }
}

/// A folder that is gone when it is let go.
struct Folder(PathBuf);

impl Folder {
    fn new() -> std::io::Result<Self> {
        let folder = std::env::temp_dir().join(format!("barometer-{}", Uuid::new_v4().simple()));
        std::fs::create_dir(&folder)?;
        Ok(Self(folder))
    }
}

impl Drop for Folder {
    fn drop(&mut self) {
        // A folder for temporary files that stays is cleaned by the system.
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

/// A web page as a browser draws it. The browser is stopped where nobody waits for this any more.
pub(crate) async fn drawn(page: &str, as_what: DrawnAs) -> Result<Vec<u8>, BrowserError> {
    let program = browser().ok_or(BrowserError::None)?;
    let failed = |error: std::io::Error| BrowserError::Failed(error.to_string());
    let _turn = DRAWING.acquire().await.map_err(|error| BrowserError::Failed(error.to_string()))?;
    let folder = Folder::new().map_err(failed)?;
    let (source, target) = (folder.0.join("page.html"), folder.0.join(file_name(as_what)));
    tokio::fs::write(&source, page).await.map_err(failed)?;
    let mut command = Command::new(program);
    command
        .args(arguments(as_what, &folder.0, &target))
        .arg(format!("file://{}", source.display()))
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .kill_on_drop(true);
    let done = tokio::time::timeout(PATIENCE, command.status()).await;
    let status = done
        .map_err(|_| BrowserError::Failed(format!("it took over {} s", PATIENCE.as_secs())))?
        .map_err(failed)?;
    if !status.success() {
        return Err(BrowserError::Failed(status.to_string()));
    }
    tokio::fs::read(&target).await.map_err(failed)
}

fn arguments(as_what: DrawnAs, folder: &Path, target: &Path) -> Vec<String> {
    let mut arguments = vec![
        "--headless".to_owned(),
        "--disable-gpu".to_owned(),
        "--disable-dev-shm-usage".to_owned(),
        "--no-first-run".to_owned(),
        format!("--user-data-dir={}", folder.join("profile").display()),
    ];
    // The page is ours and runs no script; a browser that is started by root has no sandbox.
    if std::fs::metadata("/proc/self").is_ok_and(|own| own.uid() == 0) {
        arguments.push("--no-sandbox".to_owned());
    }
    match as_what {
        DrawnAs::Document => {
            arguments.push("--no-pdf-header-footer".to_owned());
            arguments.push(format!("--print-to-pdf={}", target.display()));
        }
        DrawnAs::Bitmap => {
            arguments.push("--hide-scrollbars".to_owned());
            arguments.push("--force-device-scale-factor=2".to_owned());
            arguments.push("--window-size=760,240".to_owned());
            arguments.push(format!("--screenshot={}", target.display()));
        }
    }
    arguments
}
