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
