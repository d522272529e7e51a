//! Where the browser and the core meet: bytes in linear memory. Unsafe, because a browser can only name them by address and length; what it
//! names, it got from [`take_room`] and gives back once.
#![allow(unsafe_code)]

use crate::answer;

/// Room for a question of so many bytes.
#[unsafe(no_mangle)]
extern "C" fn take_room(length: usize) -> *mut u8 {
    Box::leak(vec![0_u8; length].into_boxed_slice()).as_mut_ptr()
}

/// Answers the question in this room and frees it. The answer: its length in four bytes, little-endian, then JSON; to be given back with
/// [`free_answer`].
///
/// # Safety
/// `question` and `length` are those of one [`take_room`], not used before.
#[unsafe(no_mangle)]
unsafe extern "C" fn ask(question: *mut u8, length: usize) -> *mut u8 {
    // SAFETY: by the contract above, this is the box that `take_room` leaked.
    let question = unsafe { Box::from_raw(std::ptr::slice_from_raw_parts_mut(question, length)) };
    let said = answer(&question);
    let mut framed = Vec::with_capacity(said.len() + 4);
    framed.extend(u32::try_from(said.len()).unwrap_or_default().to_le_bytes());
    framed.extend(said);
    Box::leak(framed.into_boxed_slice()).as_mut_ptr()
}

/// Frees an answer.
///
/// # Safety
/// `answer` came from [`ask`] and is not used afterwards.
#[unsafe(no_mangle)]
unsafe extern "C" fn free_answer(answer: *mut u8) {
    // SAFETY: by the contract above it begins with its length, and the box is as long as that and four bytes more.
    unsafe {
        let length = u32::from_le_bytes(*answer.cast::<[u8; 4]>()) as usize;
        drop(Box::from_raw(std::ptr::slice_from_raw_parts_mut(answer, length + 4)));
    }
}
