# What is run often; `just --list` names it.

# Everything that must hold before a change goes in.
ci:
    .ci/run

# The demo, written into ./mielo and run.
demo:
    cargo run -- demo

# The tests.
test:
    cargo test --workspace

# What a line costs, part by part.
bench:
    cargo bench -p interligo-engine

# The pictures of what is printed; needs a release build.
pictures:
    cargo build --release
    docs/tools/pictures
