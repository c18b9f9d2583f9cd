release-number = 第 { $number } 版
release = { $name } { $release }，发布于 { $day }
ends-soon = 注意：它的签名到 { $day } 为止；请告诉邀请你的人需要重新发布
unreachable = 注意：无法连接 { $address }（{ $reason }）；以上次的内容为准
followed-before = 注意：此游戏之前跟随的是 { $invite }
nothing-yet = 注意：此文件夹里还没有 { $game } 的任何内容
looks-after = 注意：在你的游戏里只管 { $folders } 中的模组，别的都不动
looks-after-more = 注意：在你的游戏里只管 { $folders } 中的模组，以及 { $others } 中属于它们的内容，别的都不动
own-folder = 游戏自己的文件夹
other-version = 注意：{ $what }在这里是 { $here }，在服务器上是 { $there }：两者一致之前，无论装什么模组都无法加入
what-game = 游戏
what-loader = 模组加载器
what-runtime = 游戏的运行环境
root-beyond = 注意：其中包括游戏自己的文件夹，那里有它的程序，而不只是模组文件夹
programs-beyond = 注意：会在模组文件夹之外放入或更改 { $programs }：
programs = { $count ->
   *[other] { $count } 个程序或脚本
}
beyond-later = 注意：这一点会单独询问；没有终端时需要 --beyond-mods
beyond-nobody = 没有做任何事，因为无法询问；如果你这样信任邀请你的人，请加上 --beyond-mods
interrupted = 上次在 { $all } 步中的第 { $done } 步之后中断；先把它完成

key-yes = y
key-no = n
ask-do = 要这样做吗？
ask-optional = 也要 { $mod } 吗？没有它也能玩。
ask-finish = 要完成它吗？
ask-other = 从现在起跟随新的，不再跟随原来的？
ask-root = 也让它管理那个文件夹吗？
ask-trust = 你这样信任邀请你的人吗？
ask-anyway = { $error }。它仍然是游戏的文件夹吗？

plan = { $game } 需要以下内容（写入 { $size }）：
change-new = 新增
change-other = 更换
change-mended = 修复
change-gone = 移开
change-renamed = 改名
change-kept = 保留
more-mods = { $count ->
   *[other] 还有 { $count } 个模组
}
not-on-server = 服务器上没有它

word-done = 完成
word-in-line = 一致
word-still-off = 仍有问题
word-fetched = 已下载
done = { $word }：{ $game } 与 { $server } 一致
done-partly = { $word }：这里能做的都做了
in-line = { $game } 与 { $server } { $word }
still-off = { $game } 中{ $word }，这里无法修复：
take-back = 撤销：{ $command }
after-update = 下次更新之后：{ $command }
do-this = 请执行：{ $command }
kept-in = 原来的内容保存在 { $folder }
backups-gone = 已清理 { $size } 的旧备份；最近 { $count } 次仍可撤销，原来属于你的东西仍然保留
fetched = { $word }：{ $size }，{ $files }
fetched-reused = 其中 { $size } 的片段这里已经有了
files = { $count ->
   *[other] { $count } 个文件
}

join-hello = 你好！有人邀请你一起玩，这个程序会把你的游戏准备好。
join-safe = 在你同意之前什么都不会改变，而且一切都可以撤销。
join-where = 你的游戏在哪里？输入编号或文件夹；可以把文件夹拖进这个窗口。直接按回车退出。
join-looks-like-it = { $folder }（看起来就是这个游戏）
join-no-folder = 这里没有文件夹 { $folder }。
join-no-number = 这里没有编号 { $number }。
join-menu = 已经认识 { $game }。现在做什么？直接按回车就是 1。
join-menu-ready = 准备好加入
join-menu-undo = 撤销上一次更改
join-menu-put-back = 把移开的东西放回来
join-menu-report = 为帮助你的人写一个文件
join-menu-other = 游戏在另一个文件夹
join-menu-leave = 退出
join-ready = 现在可以加入了。玩得开心！
join-again = 服务器更新之后，或者想撤销时，再次运行这个程序。
join-as-known = 你的游戏符合上次能询问服务器时它的要求。现在它的要求可能已经变了。
join-not-ready = 还不能加入。缺什么写在上面。
join-nothing-changed = 什么都没有改变。
join-report = 把这个文件发给帮助你的人：{ $file }
join-aside = 这些被移开了。要放回哪一个？输入编号；直接按回车退出。
join-aside-none = 这里没有移开过任何东西。
join-aside-taken = { $path } 现在是别的东西，它会留着。
join-put-back = { $path } 放回来了。如果服务器上没有它，下次更新会再次把它移开。
join-taken-back = 上一次更改已撤销。
join-close = 按回车关闭这个窗口。

reply-why-sure = 你无法加入的原因：
reply-why-likely = 你无法加入的原因很可能是：
reply-not-agreed = 两者哪个正确还没有确定。请什么都不要改：我决定后告诉你。
reply-differ = 你的游戏与服务器只是不同的地方，由我决定哪个正确，然后告诉你。
reply-server-only = 你无法加入，这不是你的问题。需要修复的是服务器：
reply-server-too = 这是服务器的问题，由我来修复：
reply-wait = 这不需要你做任何改动。等我通知后再试。
reply-what-to-do = 该怎么做：
reply-close = 关闭游戏。
reply-run = 在游戏文件夹中打开终端并运行：{ $command }
reply-start = 启动游戏，重新加入。
reply-got-in = 服务器日志显示你上次已成功加入。失败的是另一次尝试吗？请再试一次，并告诉我时间。
reply-unknown = 我还说不出你无法加入的原因。
reply-may-be = 可能是以下之一，但我不确定：
reply-puts-right = 关闭游戏，在其文件夹中打开终端并运行：{ $command }
reply-still = 这会修正所有模组。如果仍然无法加入：
reply-send = 请发给我：
reply-send-log = 你尝试加入时的游戏日志
reply-send-list = 你的模组列表及其版本（模组文件夹的截图即可）
reply-send-words = 游戏显示的原文，以及你尝试的时间
reply-send-file = 如果你有 kanon 程序，文件 mine.json 最有用。请在游戏文件夹中运行，并使用我发给你的规则文件：
reply-some-missing = { $side ->
    [client] 你的游戏缺少其中一个模组；没有说明是哪一个
    [server] 服务器缺少一个模组；没有说明是哪一个
   *[none] 其中一方缺少一个模组；没有说明是哪一个
}
reply-some-extra = { $side ->
    [client] 你的游戏多了一个模组；没有说明是哪一个
    [server] 服务器多了一个模组；没有说明是哪一个
   *[none] 其中一方多了一个模组；没有说明是哪一个
}
reply-some-other = { $side ->
    [client] 你的某个模组与应有的不同：版本不同或文件被修改；没有说明是哪一个
    [server] 服务器的某个模组与应有的不同：版本不同或文件被修改；没有说明是哪一个
   *[none] 某个模组在两边不一样：版本不同或文件被修改；没有说明是哪一个
}
reply-missing = { $side ->
    [client] 你缺少 { $mod }
    [server] 服务器缺少 { $mod }
   *[none] 其中一方缺少 { $mod }
}
reply-extra = { $side ->
    [client] 你有 { $mod }，而服务器没有
    [server] 服务器有 { $mod }，而另一方没有
   *[none] 一方有 { $mod }，而另一方没有
}
reply-off = { $side ->
    [client] 你的 { $mod } 被关闭
    [server] 服务器的 { $mod } 被关闭
   *[none] 其中一方的 { $mod } 被关闭
}
reply-twice = { $side ->
    [client] 你有多份 { $mod }
    [server] 服务器有多份 { $mod }
   *[none] 其中一方有多份 { $mod }
}
reply-older = { $side ->
    [client] 你的 { $mod } 太旧
    [server] 服务器的 { $mod } 太旧
   *[none] 其中一方的 { $mod } 太旧
}
reply-newer = { $side ->
    [client] 你的 { $mod } 太新
    [server] 服务器的 { $mod } 太新
   *[none] 其中一方的 { $mod } 太新
}
reply-other = { $side ->
    [client] 你的 { $mod } 版本不同
    [server] 服务器的 { $mod } 版本不同
   *[none] 其中一方的 { $mod } 版本不同
}
reply-content = { $side ->
    [client] 你的 { $mod } 被修改过：其文件与应有的不同
    [server] 服务器的 { $mod } 被修改过：其文件与应有的不同
   *[none] 其中一方的 { $mod } 被修改过：其文件与应有的不同
}
reply-damaged = { $side ->
    [client] 你的 { $mod } 已损坏
    [server] 服务器的 { $mod } 已损坏
   *[none] 其中一方的 { $mod } 已损坏
}
reply-game = { $side ->
    [client] 你的游戏版本不同
    [server] 服务器的游戏版本不同
   *[none] 其中一方的游戏版本不同
}
reply-loader = { $side ->
    [client] 加载你的模组的程序版本不同
    [server] 加载服务器模组的程序版本不同
   *[none] 加载其中一方模组的程序版本不同
}
reply-runtime = { $side ->
    [client] 你的游戏所依赖的运行环境版本不同
    [server] 服务器游戏所依赖的运行环境版本不同
   *[none] 其中一方游戏所依赖的运行环境版本不同
}
reply-memory = { $side ->
    [client] 你的游戏内存不足
    [server] 服务器的游戏内存不足
   *[none] 其中一方的游戏内存不足
}
reply-is-should = { $what }：现在是 { $is }，应为 { $should }
reply-should = { $what }：应为 { $should }
reply-is = { $what }：现在是 { $is }
reply-in-game = { $what }（在你的游戏中）
step-list = 请对照我发给你的列表检查你的模组：缺少其中一个。
step-list-versions = 请对照我发给你的列表检查你的模组及其版本：其中一个不同。
step-install = 安装 { $mod }。
step-install-at = 安装 { $mod }：位置为 { $place }。
step-install-into = 将 { $mod } 安装到文件夹 { $place }。
step-take-out = 从你的游戏中移除 { $mod }{ $where }。
step-switch-on = 重新启用 { $mod }{ $where }。
step-replace = 将你的 { $mod } 替换为版本 { $should }{ $where }。
step-get-again = 重新获取 { $mod }，替换你现有的{ $where }。
step-game = 将游戏更新到版本 { $should }。
step-install-version = 安装 { $should }。
step-the-file = （文件 { $place }）
step-in-folder = （在文件夹 { $place } 中）
kept-ban = 你无法加入，因为你被服务器封禁。这与你的模组无关。请询问服务器管理者。
kept-list = 你无法加入，因为你不在允许名单上。这与你的模组无关：需要我添加你。
kept-full = 你无法加入，因为服务器已满。与你的模组无关。等有人离开后再试。
kept-password = 你无法加入是因为密码。与你的模组无关。请重新输入，或向我索取。
kept-account = 你无法加入是因为你的账号。与你的模组无关。请关闭游戏，重新登录后再试。
kept-connection = 你的游戏与服务器之间的连接中断。请检查你输入的地址和端口后再试；如果其他人能加入，请检查你自己的网络。
page-title = { $name }：需要安装的内容
page-lead = { $game }，使用 { $loader }
page-release = 第 { $number } 版
page-mods = { $count } 个模组，{ $size }
page-how = 如何加入
page-program-lead = 让程序来做。
page-program = 下载适合你系统的程序并双击启动。它会询问游戏位置，说明将做什么，在你同意后执行；一切都可以撤销。
page-for = { $system } 版
page-trust = 服务器更新后再次启动同一程序。它没有系统厂商的签名，系统可能会询问你是否信任：它的可信度与此处来源相同。
page-linux = 在 Linux 上请先允许运行：
page-kanon = 使用 Kanon。
page-kanon-or = 或使用 Kanon（如果你有）。
page-type = 在游戏文件夹中输入：
page-copy = 复制
page-copied = 已复制
page-later = 服务器更新后只需：{ $follow }。不满意：{ $undo }。
page-makers = Kanon 可从{ $open }其作者处{ $close }获得。
page-archive-lead = 手动，一次完成。
page-archive = 下载{ $open }包含所有模组的压缩包{ $close }，解压到游戏文件夹。其余步骤见其中说明及下文。
page-each-lead = 手动，逐个进行。
page-each = 从{ $open }表格{ $close }中获取，按{ $steps }下方列表{ $close }操作。
page-code = 邀请的二维码
page-new = 自第 { $number } 版以来的变化
page-nothing-new = 没有与你有关的变化。
news-new = 新增 { $mod } { $to }
news-gone = { $mod } { $from } 已移除：请删除
news-bytes = { $mod } { $to } 版本相同但内容不同
news-becomes = { $mod } { $from } 变为 { $to }
page-table = 模组（按顺序）
page-find = 查找模组
page-found = { $seen } / { $all }
col-number = 序号
col-mod = 模组
col-version = 版本
col-file = 文件或文件夹
col-where = 放置位置
col-size = 大小
page-optional = 可选
page-needs = 需要 { $mods }
page-download = 下载
page-bytes = { $count } 字节
page-digest-one = 校验和
way-folder = 文件夹
way-file = 文件
way-files = 并列的多个文件
way-overlay = 覆盖层
way-id = 按编号
where-id = 由游戏自行获取
where-overlay = 放入 { $places }
where-and = { " 和 " }
page-server-alone = 仅服务器需要 { $mods }；你无需寻找。{ $count ->
   *[other] { "" }
}
page-line = 启动参数
page-line-into = 写入 { $file }，或你启动游戏的地方，须完全一致，包括顺序：
page-line-anywhere = 在你启动游戏的地方，须完全一致，包括顺序：
page-by-hand = 手动安装
hand-close = 关闭游戏，并备份其模组文件夹，以便日后恢复。
hand-take-out = 从这些文件夹中移除上表之外的所有文件和文件夹。{ $own }。
hand-own-stay = 只影响你自己游戏的自用模组可以保留；上述模组的其他版本不可保留
hand-own-go = 此服务器不欢迎其他模组
hand-file = 将每个文件以表中的确切名称（含大小写）放到相应位置。不要解压。
hand-files = 如果一个模组由多个文件组成，将它们全部并列放到相应位置，名称与其列表完全一致。
hand-folder = 将每个文件夹以表中的确切名称放到相应位置，只包含列表中的文件。
hand-overlay = 按表中顺序将每个覆盖层的内容放入对应压缩包。
hand-id = 没有文件的模组由游戏按编号自行获取。
hand-copies = 将这些模组文件复制到游戏查找的位置：
hand-copy = { $to }，来自 { $mod }
hand-entries = 将这些条目粘贴到游戏数据文件中，每条一次：
hand-entry = { $into }：{ $keys }，来自 { $mod } 的 { $from }，位于 { $before } 之前
hand-list = 在 { $file }（{ $name }）中必须启用这些模组：
hand-list-ordered = 在 { $file }（{ $name }）中必须按此顺序启用这些模组：
hand-settings = 设置这些值：
hand-setting = { $file }：{ $name } 必须为 { $value }（位于 { $at }）
hand-start = 启动游戏并加入。
hand-start-line = 使用上面的启动参数启动游戏并加入。
page-cant = 无法加入？
page-cant-send = 把你的情况发给服务器管理者。以下命令会记录；文件只包含模组及其文件，不涉及你电脑上的其他内容：
page-cant-run = 在游戏文件夹中运行。如果那里没有跟随任何发布，请加上 { $option }，并把{ $open }规则文件{ $close }放在旁边。
page-cant-sent = 在游戏文件夹中运行。如果那里没有跟随任何发布，请加上 { $option }，并把收到的规则文件放在旁边。
page-digest = 此集合的校验和为 { $digest }。
page-foot = 本页仅供阅读；{ $command } 获取的内容会通过签名验证。
notes-title = { $name }：{ $game } 的所有模组
notes-unpack = 将其解压到游戏文件夹，并允许替换已有内容。请先关闭游戏。
notes-before = 在此之前，从 { $folders } 中移除这里没有的所有模组：新旧并存会导致无法加入。
notes-left = 此处不包含，请按页面说明获取：{ $mods }。
notes-list = 在 { $file } 中启用：
notes-list-ordered = 在 { $file } 中按此顺序启用：
notes-start = 启动游戏时使用：
