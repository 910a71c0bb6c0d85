//! What is free on a FAT file system, by its file allocation table (ECMA-107; Microsoft's FAT specification, version 1.03).

use std::io;

/// A table larger than this is none: FAT32 has at most 2^28 entries of four bytes.
const LARGEST_TABLE: u64 = 1 << 30;

/// The number that these bytes are, the lowest first.
fn number(bytes: &[u8]) -> u64 {
    bytes.iter().rev().fold(0, |number, byte| number * 256 + u64::from(*byte))
}

/// The stretches of free clusters, first byte on the device and bytes, of a file system that `read` reads at byte addresses.
///
/// # Errors
/// It can't be read, or is no FAT.
pub fn free_clusters(read: &mut dyn FnMut(u64, &mut [u8]) -> io::Result<()>) -> io::Result<Vec<(u64, u64)>> {
    let none = |what: &str| io::Error::new(io::ErrorKind::InvalidData, format!("it is no FAT file system: {what}"));
    let mut boot = [0u8; 512];
    read(0, &mut boot)?;
    let of_boot = |at: usize, bytes: usize| number(&boot[at..][..bytes]);
    let (short, long) = (|at| of_boot(at, 2), |at| of_boot(at, 4));
    let (sector, per_cluster, reserved, tables, roots) =
        (short(11), u64::from(boot[13]), short(14), u64::from(boot[16]), short(17));
    if !(512..=4096).contains(&sector) || per_cluster == 0 || tables == 0 || reserved == 0 {
        return Err(none("its first sector does not say how it is laid out"));
    }
    let sectors = if short(19) != 0 { short(19) } else { long(32) };
    let of_table = if short(22) != 0 { short(22) } else { long(36) };
    let first = reserved + tables * of_table + (roots * 32).div_ceil(sector);
    let clusters = sectors.checked_sub(first).ok_or_else(|| none("it ends before its data"))? / per_cluster;
    let bits = match clusters {
        0..4085 => 12,
        4085..65525 => 16,
        _ => 32,
    };
    let needed = ((clusters + 2) * bits).div_ceil(8);
    if !(..=LARGEST_TABLE.min(of_table * sector)).contains(&needed) {
        return Err(none("its table is too small for its clusters"));
    }
    let mut table = vec![0u8; needed as usize];
    read(reserved * sector, &mut table)?;
    let is_free = |cluster: u64| {
        let entry = number(&table[(cluster * bits / 8) as usize..][..bits.div_ceil(8) as usize]);
        let of_it = match bits {
            12 => entry >> (if cluster % 2 == 1 { 4 } else { 0 }) & 0xfff,
            // Of 32 bits the highest four say nothing; of 16 these are all.
            _ => entry & 0x0fff_ffff,
        };
        of_it == 0
    };
    let bytes = per_cluster * sector;
    let mut free: Vec<(u64, u64)> = vec![];
    // The first two entries are of no cluster.
    for n in (0..clusters).filter(|n| is_free(n + 2)) {
        let at = (first + n * per_cluster) * sector;
        match free.last_mut() {
            Some((from, length)) if *from + *length == at => *length += bytes,
            _ => free.push((at, bytes)),
        }
    }
    Ok(free)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A FAT of so many clusters of 1 KiB in which these are free.
    fn image(bits: u64, clusters: u64, free: &[u64]) -> Vec<u8> {
        let of_table = ((clusters + 2) * bits).div_ceil(8).div_ceil(512);
        let roots = if bits == 32 { 0u64 } else { 32 };
        let mut bytes = vec![0u8; ((1 + 2 * of_table + roots * 32 / 512 + clusters * 2) * 512) as usize];
        let sectors = bytes.len() as u32 / 512;
        bytes[11..13].copy_from_slice(&512u16.to_le_bytes());
        (bytes[13], bytes[14], bytes[16]) = (2, 1, 2);
        bytes[17..19].copy_from_slice(&(roots as u16).to_le_bytes());
        bytes[32..36].copy_from_slice(&sectors.to_le_bytes());
        if bits == 32 {
            bytes[36..40].copy_from_slice(&(of_table as u32).to_le_bytes());
        } else {
            bytes[22..24].copy_from_slice(&(of_table as u16).to_le_bytes());
        }
        let table = &mut bytes[512..];
        for cluster in (0..clusters + 2).filter(|c| !free.contains(c)) {
            let at = (cluster * bits / 8) as usize;
            match bits {
                12 if cluster % 2 == 1 => {
                    table[at] |= 0xf0;
                    table[at + 1] = 0xff;
                }
                12 => {
                    table[at] = 0xff;
                    table[at + 1] |= 0x0f;
                }
                16 => table[at..at + 2].fill(0xff),
                _ => table[at..at + 4].copy_from_slice(&[0xff, 0xff, 0xff, 0x0f]),
            }
        }
        bytes
    }

    fn found(bytes: &[u8]) -> io::Result<Vec<(u64, u64)>> {
        free_clusters(&mut |at, out| {
            out.copy_from_slice(&bytes[at as usize..][..out.len()]);
            Ok(())
        })
    }

    #[test]
    fn a_cluster_is_free_only_where_no_bit_of_its_entry_is_set() {
        for (bits, clusters) in [(12u64, 300u64), (16, 4085), (32, 65525)] {
            let plain = image(bits, clusters, &[10, 11]);
            let table_at = 512 * usize::from(u16::from_le_bytes([plain[14], plain[15]]));
            for cluster in [10u64, 11] {
                for bit in 0..bits.min(28) {
                    let mut bytes = plain.clone();
                    let at = cluster * bits + bit;
                    bytes[table_at + at as usize / 8] |= 1 << (at % 8);
                    let free: u64 = found(&bytes).unwrap().iter().map(|(_, n)| n / 1024).sum();
                    assert_eq!(free, 1, "{bits} bits, cluster {cluster}, bit {bit}");
                }
            }
            let first = found(&plain).unwrap()[0];
            let data = plain.len() as u64 - clusters * 1024;
            assert_eq!(first, (data + 8 * 1024, 2048), "the two lie side by side, behind boot sector, tables and root");
        }
        let mut highest = image(32, 65525, &[10]);
        highest[512 + 40 + 3] = 0xf0;
        assert_eq!(found(&highest).unwrap().len(), 1, "of 32 bits the highest four say nothing");
    }

    #[test]
    fn a_large_one_counts_its_sectors_in_four_bytes_and_its_table_may_be_full_to_the_last_entry() {
        let (sectors, of_table) = (0x0101_0203_u32, 0x0404_u32);
        let mut boot = vec![0u8; 512];
        boot[11..13].copy_from_slice(&512u16.to_le_bytes());
        (boot[13], boot[14], boot[16]) = (128, 1, 1);
        boot[32..36].copy_from_slice(&sectors.to_le_bytes());
        boot[36..40].copy_from_slice(&of_table.to_le_bytes());
        let free = free_clusters(&mut |at, out| {
            if at == 0 {
                out.copy_from_slice(&boot);
            }
            Ok(())
        });
        let first = u64::from(1 + of_table);
        let clusters = (u64::from(sectors) - first) / 128;
        assert_eq!(free.unwrap(), [(first * 512, clusters * 65_536)], "all of them are free");
        let full = image(16, 4094, &[4095]);
        assert_eq!(u16::from_le_bytes([full[22], full[23]]), 16, "4096 entries of two bytes fill sixteen sectors");
        assert_eq!(found(&full).unwrap().len(), 1, "its last cluster");
    }

    #[test]
    fn what_does_not_say_how_it_is_laid_out_is_refused() {
        let plain = image(16, 4085, &[10]);
        let with = |change: &dyn Fn(&mut Vec<u8>)| {
            let mut bytes = plain.clone();
            change(&mut bytes);
            found(&bytes).is_ok()
        };
        assert!(with(&|_| {}));
        assert!(!with(&|b| b[11..13].copy_from_slice(&256u16.to_le_bytes())), "sectors of no size");
        assert!(!with(&|b| b[13] = 0) && !with(&|b| b[14] = 0) && !with(&|b| b[16] = 0));
        assert!(!with(&|b| b[22] -= 1), "a table with fewer entries than clusters");
        assert!(!with(&|b| b[32..36].copy_from_slice(&20u32.to_le_bytes())), "it ends before its data");
    }

    proptest! {
        #[test]
        fn the_free_clusters_of_every_width_are_found_and_garbage_is_refused(
            wide in prop::sample::select(vec![(12u64, 300u64), (12, 4084), (16, 4085), (32, 65525)]),
            free in prop::collection::btree_set(2u64..300, 0..40), garbage in prop::collection::vec(any::<u8>(), 512),
        ) {
            let (bits, clusters) = wide;
            let free: Vec<u64> = free.into_iter().collect();
            let bytes = image(bits, clusters, &free);
            let mut read = |at: u64, out: &mut [u8]| { out.copy_from_slice(&bytes[at as usize..][..out.len()]); Ok(()) };
            let found = free_clusters(&mut read).unwrap();
            prop_assert_eq!(found.iter().map(|(_, n)| n).sum::<u64>(), free.len() as u64 * 1024);
            let data = bytes.len() as u64 - clusters * 1024;
            for cluster in free {
                let at = data + (cluster - 2) * 1024;
                prop_assert!(found.iter().any(|(from, n)| *from <= at && at + 1024 <= from + n));
            }
            let mut read = |_: u64, out: &mut [u8]| { let n = out.len().min(512); out[..n].copy_from_slice(&garbage[..n]); Ok(()) };
            let _ = free_clusters(&mut read);
        }
    }
}
