//! Patterns and comparison beside memset and memcmp, on one core: none of them may be what a fast drive waits for.

use divan::counter::BytesCount;
use divan::{Bencher, black_box};
use jurex_pattern::pattern::{AlignedBuffer, Pattern, PatternBuffer, wrong_sectors};
use jurex_pattern::units::Lba;
use jurex_sanitize::residue::Tally;

const LEN: usize = 1 << 20;

fn main() {
    divan::main();
}

/// Two buffers of the same bytes, really written: fresh pages would all be one page of zeros.
fn two_alike() -> (AlignedBuffer, AlignedBuffer) {
    let (mut a, mut b) = (AlignedBuffer::new(LEN), AlignedBuffer::new(LEN));
    a.bytes().fill(7);
    b.bytes().fill(7);
    (a, b)
}

#[divan::bench]
fn memset(bencher: Bencher<'_, '_>) {
    let mut buffer = AlignedBuffer::new(LEN);
    bencher.counter(BytesCount::new(LEN)).bench_local(|| black_box(buffer.bytes()).fill(black_box(7)));
}

#[divan::bench]
fn memcmp(bencher: Bencher<'_, '_>) {
    let (mut a, mut b) = two_alike();
    bencher.counter(BytesCount::new(LEN)).bench_local(|| black_box(a.bytes()) == black_box(b.bytes()));
}

#[divan::bench(args = ["random", "random complement", "92 49 24", "address"])]
fn fill(bencher: Bencher<'_, '_>, which: &str) {
    let pattern = match which {
        "random" => Pattern::random([7; 16]),
        "random complement" => Pattern::random([7; 16]).complement(),
        "address" => Pattern::address(),
        _ => Pattern::bytes([0x92, 0x49, 0x24]).unwrap_or_else(Pattern::zeros),
    };
    let mut buffer = AlignedBuffer::new(LEN);
    let mut address = 0;
    bencher.counter(BytesCount::new(LEN)).bench_local(|| {
        address += LEN as u64;
        pattern.fill(address, 512, black_box(buffer.bytes()));
    });
}

/// As a job does it: a pattern of fixed bytes is computed once, then only handed out.
#[divan::bench]
fn fixed_bytes_from_a_buffer(bencher: Bencher<'_, '_>) {
    let (pattern, mut buffer) = (Pattern::zeros(), PatternBuffer::new(LEN));
    let mut address = 0;
    bencher.counter(BytesCount::new(LEN)).bench_local(|| {
        address += LEN as u64;
        black_box(buffer.get(&pattern, address, 512, LEN)).len()
    });
}

#[divan::bench]
fn compare_what_was_read(bencher: Bencher<'_, '_>) {
    let (mut a, mut b) = two_alike();
    bencher
        .counter(BytesCount::new(LEN))
        .bench_local(|| wrong_sectors(Lba(0), 512, black_box(a.bytes()), black_box(b.bytes())).is_empty());
}

/// As a search for leftovers goes through what a drive gave: random bytes, which are looked at longest, and zeros.
#[divan::bench(args = ["random", "zeros"])]
fn search_for_leftovers(bencher: Bencher<'_, '_>, which: &str) {
    let mut buffer = AlignedBuffer::new(LEN);
    let pattern = if which == "random" { Pattern::random([7; 16]) } else { Pattern::zeros() };
    pattern.fill(0, 512, buffer.bytes());
    let mut tally = Tally::new(LEN as u64);
    bencher.counter(BytesCount::new(LEN)).bench_local(|| tally.look(Lba(0), 512, black_box(buffer.bytes())));
}
