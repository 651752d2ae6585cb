//! Stands between a process and the system, and lets writing to files of one folder go wrong and
//! the wall clock be wrong, as a file tells it from outside.
//!
//! Loaded with `LD_PRELOAD`. `LANTERN_MISHAP` names the file: four numbers of eight bytes in the
//! machine's order (see [`Control`]), mapped into memory. `LANTERN_MISHAP_FOLDER` names the folder.
//! Without them everything goes as always.
#![allow(clippy::missing_safety_doc)]

use libc::{c_char, c_int, c_void, clockid_t, off_t, size_t, ssize_t, timespec};
use std::ffi::CStr;
use std::sync::OnceLock;
use std::sync::atomic::{AtomicI64, AtomicU64, Ordering};

/// What the file says.
#[repr(C)]
struct Control {
    /// 0: all is well; 1: the disk is full; 2: some writes fail; 3: writes are slow.
    mode: AtomicU64,
    /// Of a thousand writes, how many fail; or by how many milliseconds they are late.
    amount: AtomicU64,
    /// By how many microseconds the wall clock is ahead.
    ahead_us: AtomicI64,
    /// Writes that were spoilt.
    spoilt: AtomicU64,
}

struct Mishap {
    control: &'static Control,
    folder: Vec<u8>,
}

fn mishap() -> Option<&'static Mishap> {
    static MISHAP: OnceLock<Option<Mishap>> = OnceLock::new();
    MISHAP.get_or_init(load).as_ref()
}

fn variable(name: &CStr) -> Option<&'static CStr> {
    // SAFETY: the name ends in zero; what is given back lives as long as the environment, which
    // nobody changes.
    let found = unsafe { libc::getenv(name.as_ptr()) };
    // SAFETY: as above.
    (!found.is_null()).then(|| unsafe { CStr::from_ptr(found) })
}

fn load() -> Option<Mishap> {
    let file = variable(c"LANTERN_MISHAP")?;
    let folder = variable(c"LANTERN_MISHAP_FOLDER")?.to_bytes().to_vec();
    // SAFETY: the path ends in zero.
    let fd = unsafe { libc::open(file.as_ptr(), libc::O_RDWR | libc::O_CLOEXEC) };
    if fd < 0 {
        return None;
    }
    let (size, access) = (size_of::<Control>(), libc::PROT_READ | libc::PROT_WRITE);
    // SAFETY: a new mapping of a file that is open; it is never undone.
    let mapped = unsafe { libc::mmap(std::ptr::null_mut(), size, access, libc::MAP_SHARED, fd, 0) };
    if mapped == libc::MAP_FAILED {
        return None;
    }
    // SAFETY: a mapping begins at a page and is as large as the structure, which is atomics only.
    Some(Mishap { control: unsafe { &*mapped.cast::<Control>() }, folder })
}

impl Mishap {
    fn is_ours(&self, fd: c_int) -> bool {
        let mut link = *b"/proc/self/fd/\0\0\0\0\0\0\0\0\0\0\0\0";
        let (mut number, mut digits, mut count) = (fd, [0_u8; 10], 0);
        while number > 0 || count == 0 {
            digits[count] = b'0' + (number % 10).unsigned_abs() as u8;
            number /= 10;
            count += 1;
        }
        for (place, digit) in digits[..count].iter().rev().enumerate() {
            link[14 + place] = *digit;
        }
        let mut path = [0_u8; 512];
        // SAFETY: the link ends in zero, the buffer is as large as is said.
        let length = unsafe { libc::readlink(link.as_ptr().cast(), path.as_mut_ptr().cast::<c_char>(), path.len()) };
        usize::try_from(length).is_ok_and(|length| path[..length].starts_with(&self.folder))
    }
}

/// The error a write is to end with, after waiting if it is to be slow.
fn spoil(fd: c_int) -> Option<c_int> {
    let mishap = mishap()?;
    let control = mishap.control;
    let mode = control.mode.load(Ordering::Relaxed);
    if mode == 0 || !mishap.is_ours(fd) {
        return None;
    }
    let amount = control.amount.load(Ordering::Relaxed);
    let count = control.spoilt.fetch_add(1, Ordering::Relaxed);
    match mode {
        1 => Some(libc::ENOSPC),
        // Spread evenly by a number that has no factor in common with a thousand.
        2 => (count.wrapping_mul(387) % 1_000 < amount).then_some(libc::EIO),
        _ => {
            let nanoseconds = (amount % 1_000 * 1_000_000) as libc::c_long;
            let pause = timespec { tv_sec: (amount / 1_000) as libc::time_t, tv_nsec: nanoseconds };
            // SAFETY: the first is valid, the second may be null.
            unsafe { libc::nanosleep(&raw const pause, std::ptr::null_mut()) };
            None
        }
    }
}

fn fail(error: c_int) {
    // SAFETY: errno of this thread.
    unsafe { *libc::__errno_location() = error };
}

/// The function of that name that would have been called.
macro_rules! real {
    ($name:literal, $type:ty) => {{
        static REAL: OnceLock<usize> = OnceLock::new();
        // SAFETY: the name ends in zero.
        let found = *REAL.get_or_init(|| unsafe { libc::dlsym(libc::RTLD_NEXT, $name.as_ptr()) } as usize);
        // SAFETY: the C library has a function of this name and type.
        unsafe { std::mem::transmute::<usize, $type>(found) }
    }};
}

/// `write`, which may go wrong.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn write(fd: c_int, bytes: *const c_void, count: size_t) -> ssize_t {
    let real = real!(c"write", unsafe extern "C" fn(c_int, *const c_void, size_t) -> ssize_t);
    match spoil(fd) {
        Some(error) => {
            fail(error);
            -1
        }
        // SAFETY: as the caller says.
        None => unsafe { real(fd, bytes, count) },
    }
}

/// `pwrite`, which may go wrong.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn pwrite(fd: c_int, bytes: *const c_void, count: size_t, at: off_t) -> ssize_t {
    let real = real!(c"pwrite", unsafe extern "C" fn(c_int, *const c_void, size_t, off_t) -> ssize_t);
    match spoil(fd) {
        Some(error) => {
            fail(error);
            -1
        }
        // SAFETY: as the caller says.
        None => unsafe { real(fd, bytes, count, at) },
    }
}

/// `pwrite64`, which may go wrong.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn pwrite64(fd: c_int, bytes: *const c_void, count: size_t, at: off_t) -> ssize_t {
    // SAFETY: as the caller says; the two are the same where files are large.
    unsafe { pwrite(fd, bytes, count, at) }
}

/// Functions of a file that may go wrong.
macro_rules! of_file {
    ($name:ident, $text:literal) => {
        /// The function of that name, which may go wrong.
        #[unsafe(no_mangle)]
        pub unsafe extern "C" fn $name(fd: c_int) -> c_int {
            let real = real!($text, unsafe extern "C" fn(c_int) -> c_int);
            match spoil(fd) {
                Some(error) => {
                    fail(error);
                    -1
                }
                // SAFETY: as the caller says.
                None => unsafe { real(fd) },
            }
        }
    };
}

of_file!(fsync, c"fsync");
of_file!(fdatasync, c"fdatasync");

/// `clock_gettime`, by which the wall clock may be wrong.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn clock_gettime(clock: clockid_t, time: *mut timespec) -> c_int {
    let real = real!(c"clock_gettime", unsafe extern "C" fn(clockid_t, *mut timespec) -> c_int);
    // SAFETY: as the caller says.
    let result = unsafe { real(clock, time) };
    if result == 0
        && clock == libc::CLOCK_REALTIME
        && let Some(mishap) = mishap()
    {
        let ahead = mishap.control.ahead_us.load(Ordering::Relaxed);
        // SAFETY: it was just written.
        unsafe { (*time).tv_sec += ahead.div_euclid(1_000_000) };
    }
    result
}
