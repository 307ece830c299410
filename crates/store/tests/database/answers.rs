//! Questions of pages: asked by many they are answered once, and the answer is kept under the question.

use barometer_plan::{Answer, IntervalLoad, Question, Rules};
use barometer_store::{RunState, StoreError};
use sqlx::PgPool;

use crate::fixture::{Fixture, fixture};

fn question(contacts: f64) -> Question {
    Question::EveryInterval {
        loads: vec![IntervalLoad { contacts, handle_secs: 240.0 }],
        own: vec![4],
        interval_secs: 1800.0,
        rules: Box::new(Rules::STARTING),
    }
}

#[sqlx::test(migrations = false)]
async fn many_who_ask_the_same_wait_for_one_run_and_find_its_answer(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = &fixture(pool).await;
    let asked = question(20.0);
    let asking = (0..8).map(|_| store.ask(*centre, &asked, "/a-page", Some(*planner)));
    let asking = futures_util::future::try_join_all(asking).await.unwrap();
    let run = asking[0].run.id;
    assert!(asking.iter().all(|kept| kept.run.id == run && kept.answer.is_none()));
    let other = store.ask(*centre, &question(21.0), "/a-page", None).await.unwrap();
    assert_ne!(other.run.id, run);
    assert_eq!(store.question(run).await.unwrap(), (asked.clone(), "/a-page".to_owned()));
    store.begin_run(run).await.unwrap();
    let answer = asked.answer(|_| true).unwrap().unwrap();
    store.end_answer(run, &answer).await.unwrap();
    let kept = store.ask(*centre, &asked, "/another-page", None).await.unwrap();
    assert_eq!((kept.run.state, kept.answer), (RunState::Done, Some(answer)));
}

#[sqlx::test(migrations = false)]
async fn a_question_that_was_cancelled_has_no_answer_and_can_be_asked_again(pool: PgPool) {
    let Fixture { store, centre, .. } = &fixture(pool).await;
    let run = store.ask(*centre, &question(20.0), "/a-page", None).await.unwrap().run.id;
    store.begin_run(run).await.unwrap();
    store.cancel_run(run).await.unwrap();
    store.end_answer(run, &Answer::Unknown).await.unwrap();
    let kept = store.ask(*centre, &question(20.0), "/a-page", None).await.unwrap();
    assert_eq!((kept.run.state, kept.answer), (RunState::Cancelled, None));
    assert!(store.retry_run(run).await.unwrap());
    store.begin_run(run).await.unwrap();
    store.end_answer(run, &Answer::Unknown).await.unwrap();
    let kept = store.ask(*centre, &question(20.0), "/a-page", None).await.unwrap();
    assert_eq!(kept.answer, Some(Answer::Unknown));
    let nobody = store.question(uuid::Uuid::nil()).await;
    assert!(matches!(nobody, Err(StoreError::NotFound)));
}
