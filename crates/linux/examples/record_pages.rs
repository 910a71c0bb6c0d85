//! Records the pages that a drive sends: `record_pages DEVICE FOLDER`. One file a page, in hexadecimal digits, sixteen
//! bytes a line, without the zeros at its end.

use std::fs;
use std::path::Path;

fn main() -> std::io::Result<()> {
    let arguments: Vec<String> = std::env::args().collect();
    let [_, device, folder] = arguments.as_slice() else {
        eprintln!("usage: record_pages DEVICE FOLDER");
        std::process::exit(1);
    };
    fs::create_dir_all(folder)?;
    for (name, page) in jurex_linux::raw_pages(device)? {
        let used = page.len() - page.iter().rev().take_while(|b| **b == 0).count();
        let rows = page[..used].chunks(16).map(jurex_pattern::text::hex::encode);
        let text = format!("{} bytes\n{}\n", page.len(), rows.collect::<Vec<_>>().join("\n"));
        fs::write(Path::new(folder).join(format!("{name}.hex")), text)?;
    }
    Ok(())
}
