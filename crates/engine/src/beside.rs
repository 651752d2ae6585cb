//! Work of one request on several threads.

/// Does pieces of work beside each other, and gives what came of each in their order.
///
/// # Errors
/// The first error in that order; the rest goes on by itself and is forgotten.
///
/// # Panics
/// If a piece does: its panic is the caller's own, as if there had been no task.
pub async fn beside<T, E, F>(work: impl IntoIterator<Item = F>) -> Result<Vec<T>, E>
where
    F: Future<Output = Result<T, E>> + Send + 'static,
    T: Send + 'static,
    E: Send + 'static,
{
    let tasks: Vec<_> = work.into_iter().map(tokio::spawn).collect();
    let mut found = Vec::with_capacity(tasks.len());
    for task in tasks {
        found.push(task.await.unwrap_or_else(|error| std::panic::resume_unwind(error.into_panic()))?);
    }
    Ok(found)
}
